/** What every address shares: the live stream, and a word when it is broken. */
import { Outlet } from "react-router";
import { useLive } from "../api/live";
import { tellOfRun } from "./wordOfTheEnd";

export function Root() {
  const connected = useLive(tellOfRun);
  return (
    <div className="h-full">
      <Outlet />
      {/* Over the page and not above it: what is under the pointer must not move when it comes and goes. */}
      {!connected && (
        <p
          role="status"
          className="shadow-float fixed inset-x-0 bottom-0 z-40 bg-wrong-wash px-4 py-1 text-center text-wrong"
        >
          The connection to the application is lost; trying again. What is on show may be out of date.
        </p>
      )}
    </div>
  );
}
