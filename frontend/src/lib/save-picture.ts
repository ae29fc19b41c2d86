/** A picture of the page as a file: what is drawn as PNG, what it shows as text. */

/** What of a computed style a drawing needs to look the same outside the page. */
const STYLES = [
  'fill',
  'fill-opacity',
  'stroke',
  'stroke-width',
  'stroke-dasharray',
  'stroke-linecap',
  'stroke-linejoin',
  'opacity',
  'font-family',
  'font-size',
  'font-weight',
  'text-anchor',
  'visibility',
  'display',
];
/** Twice as fine as on the screen, so that it prints well. */
const FINER = 2;

/** A drawing that stands alone: every style in it, patterns with it, the paper behind it. */
export function alone(svg: SVGSVGElement, paper: string): string {
  const copy = withStyles(svg);
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
  for (const pattern of document.querySelectorAll('svg pattern')) copy.prepend(withStyles(pattern));
  const sheet = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
  for (const [name, value] of Object.entries({ width: '100%', height: '100%', fill: paper })) {
    sheet.setAttribute(name, value);
  }
  copy.prepend(sheet);
  return new XMLSerializer().serializeToString(copy);
}

/** A copy that looks as it does in the page, without its sheet. */
function withStyles<Drawn extends Element>(drawn: Drawn): Drawn {
  const copy = drawn.cloneNode(true) as Drawn;
  const own = [drawn, ...drawn.querySelectorAll('*')];
  const copied = [copy, ...copy.querySelectorAll('*')];
  own.forEach((element, k) => {
    const style = getComputedStyle(element);
    const said = STYLES.map((name) => `${name}:${style.getPropertyValue(name)}`).join(';');
    copied[k]?.setAttribute('style', said);
    copied[k]?.removeAttribute('class');
  });
  return copy;
}

/** A name for the file, from what the picture is called. */
export function fileName(label: string, ending: string): string {
  const words = label
    .split(/[:.,]/)[0]!
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 50);
  return `${words || 'picture'}.${ending}`;
}

export async function savePng(svg: SVGSVGElement, label: string): Promise<void> {
  const paper = getComputedStyle(document.body).backgroundColor;
  const { width, height } = svg.getBoundingClientRect();
  const image = new Image(width, height);
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(alone(svg, paper))}`;
  await image.decode();
  const canvas = document.createElement('canvas');
  canvas.width = Math.round(width * FINER);
  canvas.height = Math.round(height * FINER);
  canvas.getContext('2d')?.drawImage(image, 0, 0, canvas.width, canvas.height);
  const png = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/png'));
  if (png) hand(png, fileName(label, 'png'));
}

export function saveSvg(svg: SVGSVGElement, label: string): void {
  const paper = getComputedStyle(document.body).backgroundColor;
  hand(new Blob([alone(svg, paper)], { type: 'image/svg+xml;charset=utf-8' }), fileName(label, 'svg'));
}

export function saveCsv(csv: string, label: string): void {
  hand(new Blob([csv], { type: 'text/csv;charset=utf-8' }), fileName(label, 'csv'));
}

export function saveText(label: string): void {
  hand(new Blob([`${label}\n`], { type: 'text/plain;charset=utf-8' }), fileName(label, 'txt'));
}

function hand(what: Blob, name: string): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(what);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
