/** What every address shares: the live stream, and a word when it is broken. */
import { Outlet } from "react-router";
import { useLive } from "../api/live";

export function Root() {
  const connected = useLive();
  return (
    <div className="flex h-full flex-col">
      {!connected && (
        <p role="status" className="bg-wrong-wash px-4 py-1 text-center text-wrong">
          The connection to the application is lost; trying again. What is on show may be out of date.
        </p>
      )}
      <div className="min-h-0 flex-1">
        <Outlet />
      </div>
    </div>
  );
}
