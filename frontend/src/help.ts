import '@fontsource-variable/bricolage-grotesque';
import '@fontsource-variable/hanken-grotesk';
import '@fontsource-variable/martian-mono/wdth.css';
import './app.css';
import './help.css';
import { isDark, keptTheme, system } from './lib/theme';

function show(): void {
  document.documentElement.dataset.theme = isDark(keptTheme()) ? 'dark' : 'light';
}

system.addEventListener('change', show);
show();
