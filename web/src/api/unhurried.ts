/** Reading again after events: soon, not too often, and never cut short. */

/** Events come faster than anybody reads; what they touch is read again at most this often, */
const LEAST_PAUSE_MS = 150;
/** and never sooner than it took to read it the last time, however large the collection. */
const LONGEST_PAUSE_MS = 15_000;

/**
 * Returns what asks for a reading: it begins after a pause, is never cut short by the next event (or a long import
 * would keep the field from ever showing), and happens once more if events came while it lasted.
 */
export function unhurried(read: () => Promise<unknown>): () => void {
  let wanted = false;
  let busy = false;
  let pause = LEAST_PAUSE_MS;
  const run = async () => {
    wanted = false;
    const began = performance.now();
    await read();
    pause = Math.min(LONGEST_PAUSE_MS, Math.max(LEAST_PAUSE_MS, performance.now() - began));
    if (wanted) setTimeout(run, pause);
    else busy = false;
  };
  return () => {
    wanted = true;
    if (busy) return;
    busy = true;
    setTimeout(run, pause);
  };
}
