import '@fontsource-variable/bricolage-grotesque';
import '@fontsource-variable/hanken-grotesk';
import '@fontsource-variable/martian-mono/wdth.css';
import './app.css';
import './help.css';
import { keptTheme, show, system } from './lib/theme';

const showKept = () => show(keptTheme());
system.addEventListener('change', showKept);
showKept();
