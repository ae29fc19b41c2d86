import '@fontsource-variable/bricolage-grotesque';
import '@fontsource-variable/hanken-grotesk';
import '@fontsource-variable/martian-mono/wdth.css';
import { mount } from 'svelte';
import App from './App.svelte';
import ListenerPage from './ListenerPage.svelte';
import './app.css';

const target = document.getElementById('app');
if (target) mount(location.pathname === '/listener' ? ListenerPage : App, { target });
