// Light, dark, or as the system says. Kept in the browser.
export type Theme = "system" | "light" | "dark";

const KEY = "mintseed-theme";
const dark = window.matchMedia("(prefers-color-scheme: dark)");

export const storedTheme = (): Theme => (localStorage.getItem(KEY) as Theme | null) ?? "system";

export function applyTheme(theme: Theme): void {
  localStorage.setItem(KEY, theme);
  const isDark = theme === "dark" || (theme === "system" && dark.matches);
  document.documentElement.dataset["theme"] = isDark ? "dark" : "light";
}

dark.addEventListener("change", () => applyTheme(storedTheme()));
