/**
 * A page that is left lets go of its connections. Browsers keep such a page aside, frozen, in case someone comes back;
 * answers that it never reads would then hold the few connections that a browser opens to one address, and the next
 * page would wait for minutes.
 */

/** Aborts when the page is left. A page that comes back out of the freezer has no requests any more and is loaded anew. */
export function signalOfLeaving(page: EventTarget, reload: () => void): AbortSignal {
  const left = new AbortController();
  page.addEventListener("pagehide", () => left.abort());
  page.addEventListener("pageshow", (event) => {
    if ((event as PageTransitionEvent).persisted) reload();
  });
  return left.signal;
}
