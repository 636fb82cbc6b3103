/** One step of this window after the other: what is taken back must be there before. */

let last: Promise<unknown> = Promise.resolve();

/** Begins a step when the one asked for before it is done, well or not. */
export function inTurn<T>(step: () => Promise<T>): Promise<T> {
  const turn = last.then(step, step);
  last = turn.catch(() => {});
  return turn;
}
