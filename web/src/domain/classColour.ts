/** Ten class colours by place in the order, unless a person chose one; beyond ten they repeat and the sign tells. */

export const COLOURS = 10;
/** Those of the ten that are light enough for dark writing. */
const LIGHT = new Set([0, 1, 3, 5, 6, 8]);

/** Which of the colours a class has. */
export function colourPlace(
  entry: { readonly place: number; readonly colour: number | null } | undefined,
): number | undefined {
  return entry && (entry.colour ?? entry.place % COLOURS);
}

export function classColour(place: number | undefined): string {
  return place === undefined ? "var(--class-none)" : `var(--class-${place % COLOURS})`;
}

export function signColour(place: number | undefined): string {
  return place === undefined || LIGHT.has(place % COLOURS) ? "oklch(0.2 0.02 130)" : "oklch(0.99 0 0)";
}
