/** The letters by which runs are told in plots and tables of a comparison. */
export const SIGNS = ["a", "b", "c", "d"] as const;
