/** Light, dark, or whatever the system is; kept for every page of the program. */
export type Theme = 'system' | 'light' | 'dark';
export const THEMES: Theme[] = ['system', 'light', 'dark'];

export const system = matchMedia('(prefers-color-scheme: dark)');

export function keptTheme(): Theme {
  return THEMES.find((theme) => theme === localStorage.getItem('theme')) ?? 'system';
}

/** Have the page look so. */
export function show(theme: Theme): void {
  const dark = theme === 'dark' || (theme === 'system' && system.matches);
  document.documentElement.dataset.theme = dark ? 'dark' : 'light';
}
