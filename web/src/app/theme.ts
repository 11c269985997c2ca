/** The theme: as the system has it, or as the person forces it. */
export type Theme = "system" | "light" | "dark";

const key = "everypost.theme";
const dark = window.matchMedia("(prefers-color-scheme: dark)");

export const theme = (): Theme => (localStorage.getItem(key) as Theme | null) ?? "system";

export function setTheme(t: Theme) {
  localStorage.setItem(key, t);
  applyTheme();
}

export function applyTheme() {
  const t = theme();
  document.documentElement.dataset.theme = t === "system" ? (dark.matches ? "dark" : "light") : t;
}

dark.addEventListener("change", applyTheme);
