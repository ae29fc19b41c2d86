/**
 * Nobody loses their place by pressing something. What had the focus may go, or be made anew under the same name;
 * then its successor has it, or the heading of the step.
 */

const NAMED = 'button, a[href], input, select, textarea, summary, [tabindex="0"]';

/** What a control is called, for finding it again. */
function nameOf(element: Element): string {
  const label = element.getAttribute('aria-label') ?? element.textContent ?? '';
  return `${element.tagName} ${element.getAttribute('type') ?? ''} ${label.trim()}`;
}

/** Which of the same name it is. */
function countOf(element: Element, root: ParentNode): number {
  const name = nameOf(element);
  const alike = [...root.querySelectorAll(NAMED)].filter((each) => nameOf(each) === name);
  return Math.max(0, alike.indexOf(element));
}

function usable(element: Element): element is HTMLElement {
  return element instanceof HTMLElement && !element.matches(':disabled') && element.getClientRects().length > 0;
}

/** Watch what is under a root; gives a function that ends it. */
export function keepFocus(root: HTMLElement): () => void {
  let last: { element: HTMLElement; name: string; count: number } | null = null;

  function remember(event: FocusEvent): void {
    const element = event.target as HTMLElement;
    last = { element, name: nameOf(element), count: countOf(element, root) };
  }

  function look(): void {
    const lost = document.activeElement === document.body || document.activeElement === null;
    if (!last || !lost || (last.element.isConnected && usable(last.element))) return;
    const { name, count } = last;
    const alike = [...root.querySelectorAll(NAMED)].filter((each) => nameOf(each) === name && usable(each));
    const heading = root.querySelector<HTMLElement>('main h2');
    const next = (alike[Math.min(count, alike.length - 1)] as HTMLElement | undefined) ?? heading;
    next?.focus({ preventScroll: next !== heading });
  }

  // Whoever presses on nothing wants to be nowhere.
  function leave(event: PointerEvent): void {
    if (!(event.target as Element).closest(NAMED)) last = null;
  }

  const watch = new MutationObserver(look);
  watch.observe(root, { subtree: true, childList: true, attributes: true, attributeFilter: ['disabled', 'hidden'] });
  root.addEventListener('focusin', remember);
  root.addEventListener('pointerdown', leave);
  return () => {
    watch.disconnect();
    root.removeEventListener('focusin', remember);
    root.removeEventListener('pointerdown', leave);
  };
}
