/** Light or dark, as the device has it. */
export function followTheme(): void {
  const dark = matchMedia("(prefers-color-scheme: dark)");
  const follow = () => {
    document.documentElement.dataset.theme = dark.matches ? "dark" : "light";
  };
  dark.addEventListener("change", follow);
  follow();
}
