/** The four places of a project, and what an address takes along from one to another. */

export const PLACES = [
  { path: "rows", name: "Rows", key: "r" },
  { path: "runs", name: "Runs", key: "u" },
  { path: "review", name: "Review", key: "v" },
  { path: "release", name: "Release", key: "l" },
] as const;

/** Project, split and run go along from place to place; what belongs to one place stays there. */
export function carried(params: URLSearchParams): string {
  const kept = new URLSearchParams();
  for (const key of ["run", "split"]) {
    const value = params.get(key);
    if (value) kept.set(key, value);
  }
  const text = kept.toString();
  return text ? `?${text}` : "";
}
