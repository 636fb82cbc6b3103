/** Looks for what stands out of many pictures, some at a time, so that it can be followed and stopped. */
import { useEffect, useState } from "react";
import { findAreas } from "../../api/areaQueries";
import type { AreaSample, FoundArea, Problem } from "../../api/client";
import { asProblemOf } from "../../api/client";
import type { Area } from "../../domain/area";

const AT_ONCE = 30;

export interface Finding {
  readonly found: readonly FoundArea[];
  readonly of: number;
  readonly going: boolean;
  readonly error: Problem | undefined;
  stop: () => void;
}

export function useFinding(
  projectId: number,
  pictures: readonly AreaSample[] | undefined,
  area: Area,
  enabled: boolean,
): Finding {
  const [found, setFound] = useState<readonly FoundArea[]>([]);
  const [going, setGoing] = useState(false);
  const [error, setError] = useState<Problem>();
  const [stop, setStop] = useState<() => void>(() => () => {});
  const ids = pictures?.map((picture) => picture.id).join() ?? "";
  const asked = JSON.stringify(area);
  // biome-ignore lint/correctness/useExhaustiveDependencies: pictures and area are known by their text
  useEffect(() => {
    setFound([]);
    setError(undefined);
    if (!enabled || !pictures?.length) return;
    const aborted = new AbortController();
    const run = async () => {
      setGoing(true);
      for (let at = 0; at < pictures.length && !aborted.signal.aborted; at += AT_ONCE) {
        const some = pictures.slice(at, at + AT_ONCE).map((picture) => picture.id);
        const more = await findAreas(projectId, some, area, aborted.signal);
        if (!aborted.signal.aborted) setFound((now) => [...now, ...more]);
      }
    };
    setStop(() => () => {
      aborted.abort();
      setGoing(false);
    });
    run()
      .catch((failure) => !aborted.signal.aborted && setError(asProblemOf(failure)))
      .finally(() => !aborted.signal.aborted && setGoing(false));
    return () => aborted.abort();
  }, [projectId, ids, asked, enabled]);
  return { found, of: pictures?.length ?? 0, going, error, stop };
}
