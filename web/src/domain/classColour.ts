/** Ten class colours by place in the order; beyond ten they repeat and the sign tells. */

const COLOURS = 10;
/** Those of the ten that are light enough for dark writing. */
const LIGHT = new Set([0, 1, 3, 5, 6, 8]);

export function classColour(place: number | undefined): string {
  return place === undefined ? "var(--class-none)" : `var(--class-${place % COLOURS})`;
}

export function signColour(place: number | undefined): string {
  return place === undefined || LIGHT.has(place % COLOURS) ? "oklch(0.2 0.02 130)" : "oklch(0.99 0 0)";
}
