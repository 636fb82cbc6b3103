/** The keys that lead from every place to every other. */
import { useEffect, useRef } from "react";
import { useLocation, useNavigate, useParams } from "react-router";
import { takesKeys } from "../parts/typing";
import { carried, PLACES } from "./places";

/** `g` waits this long for its letter. */
const CHORD_MS = 1500;

/** `g` and a place's letter go there, `?` shows the keys. */
export function useChords(openKeys: () => void): void {
  const navigate = useNavigate();
  const location = useLocation();
  const { projectId } = useParams();
  const since = useRef(0);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (takesKeys(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      if (event.key === "?") openKeys();
      else if (event.key === "g") since.current = Date.now();
      else if (Date.now() - since.current < CHORD_MS) {
        const place = PLACES.find((entry) => entry.key === event.key);
        since.current = 0;
        if (place) {
          event.preventDefault();
          event.stopPropagation();
          navigate({
            pathname: `/p/${projectId}/${place.path}`,
            search: carried(new URLSearchParams(location.search)),
          });
        }
      }
    };
    // Before the field hears it: `g` then a letter must not label a picture.
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [navigate, projectId, location.search, openKeys]);
}
