/** What was tried, on its way into the project: each file in a folder of what it truly is. */

export interface ToBringIn {
  readonly path: string;
  readonly truth?: string | undefined;
}

/** Paths for an import, none twice; what nobody has said the class of lies beside the classes. */
export function importPaths(entries: readonly ToBringIn[]): string[] {
  const taken = new Set<string>();
  return entries.map(({ path, truth }) => {
    const name = path.split("/").pop() || "picture";
    const folder = truth?.trim().replace(/[/\\]/g, "_") || "unlabelled";
    let whole = `tried/${folder}/${name}`;
    for (let number = 2; taken.has(whole); number++) whole = `tried/${folder}/${number}-${name}`;
    taken.add(whole);
    return whole;
  });
}
