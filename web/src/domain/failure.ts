/** When a reading that failed has to be told in place of what it would show. */

/**
 * Why there is nothing to show. What was read before stays while the application does not answer (a failure without a
 * status): the window says that it may be out of date, and reads again by itself.
 */
export function failureOf<E extends Error>(query: { data: unknown; error: E | null }): E | undefined {
  const { data, error } = query;
  const silent = error !== null && (error as { status?: unknown }).status === 0;
  return error === null || (silent && data !== undefined) ? undefined : error;
}
