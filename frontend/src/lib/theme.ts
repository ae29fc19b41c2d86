/** Light, dark, or whatever the system is; kept for every page of the program. */
export type Theme = 'system' | 'light' | 'dark';
export const THEMES: Theme[] = ['system', 'light', 'dark'];

export const system = matchMedia('(prefers-color-scheme: dark)');

export function keptTheme(): Theme {
  return THEMES.find((theme) => theme === localStorage.getItem('theme')) ?? 'system';
}

export function isDark(theme: Theme): boolean {
  return theme === 'dark' || (theme === 'system' && system.matches);
}
