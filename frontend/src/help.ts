import '@fontsource-variable/bricolage-grotesque';
import '@fontsource-variable/hanken-grotesk';
import '@fontsource-variable/martian-mono/wdth.css';
import './app.css';
import './help.css';
import { keptTheme, show, system } from './lib/theme';
import { t } from './lib/words';

const showKept = () => show(keptTheme());
system.addEventListener('change', showKept);
showKept();

// Whoever hears the page is told what scrolls by itself.
for (const [what, name] of [
  ['nav', t('Documents')],
  ['pre', t('Commands')],
  ['.table', t('Table')],
] as const)
  for (const each of document.querySelectorAll(what)) each.setAttribute('aria-label', name);
