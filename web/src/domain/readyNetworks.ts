/** How often the ready networks erred on the sets that they were measured on. */

interface Measured {
  readonly errors: Readonly<Record<string, number>>;
}

/** Over all sets, each counting alike; undefined where nothing was measured. */
export function meanError({ errors }: Measured): number | undefined {
  const shares = Object.values(errors);
  return shares.length ? shares.reduce((sum, share) => sum + share, 0) / shares.length : undefined;
}

/** Of all that were measured. */
export function meanErrors(networks: readonly Measured[]): number[] {
  return networks.map(meanError).filter((mean) => mean !== undefined);
}
