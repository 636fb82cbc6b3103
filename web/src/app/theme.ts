/** Light by default, dark when chosen; remembered by the browser. */

const KEY = "vast-orchard-theme";

export function isDark(): boolean {
  return localStorage.getItem(KEY) === "dark";
}

export function applyTheme(): void {
  document.documentElement.dataset.theme = isDark() ? "dark" : "light";
}

export function switchTheme(): void {
  localStorage.setItem(KEY, isDark() ? "light" : "dark");
  applyTheme();
}
