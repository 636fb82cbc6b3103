/** The network that the Run sheet is set to, layer by layer: a ready one, or one that the project keeps. */
import type { Network } from "../../api/client";
import { useIngredients } from "../../api/ingredientQueries";
import { useNetworkCheck, useNetworks } from "../../api/runQueries";
import { type Lesson, type Part, versionName } from "../../domain/network";

export interface ShownNetwork {
  readonly parameters: number;
  readonly multiply_adds: number;
  /** Expected; null where nothing is known to tell it by. */
  readonly epoch_s: number | null;
  readonly memory_bytes: number;
  readonly memory_free_bytes: number;
  readonly batch_that_fits: number;
  /** Processors that a training takes here. */
  readonly threads: number;
  readonly layers: Network["layers"];
  /** Ids of the layers that a training can be watched by. */
  readonly watched: readonly string[];
  /** What is wrong with it; it cannot be trained then. */
  readonly wrong?: string;
}

export function useNetworkShown(
  projectId: number,
  network: string,
  lesson: Lesson,
): ShownNetwork | undefined {
  const also = / times as (wide|deep)$/.test(network) ? network : "";
  const ready = useNetworks(projectId, lesson, also).data?.find((entry) => entry.name === network);
  const { data: kept = [] } = useIngredients(projectId, "network");
  const own = kept.find((entry) => versionName(entry) === network || entry.name === network);
  const check = useNetworkCheck(
    projectId,
    own && { layers: (own.value.layers ?? []) as readonly Part[], lesson },
  );
  if (ready) return ready;
  if (!own || !check.data) return undefined;
  return {
    parameters: check.data.parameters,
    multiply_adds: check.data.multiply_adds,
    epoch_s: check.data.epoch_s,
    memory_bytes: check.data.memory_bytes,
    memory_free_bytes: check.data.memory_free_bytes,
    batch_that_fits: check.data.batch_that_fits,
    threads: check.data.threads,
    watched: check.data.watched,
    layers: check.data.lines.flatMap((entry) => entry.layers).sort((one, two) => one.place - two.place),
    ...(check.data.wrong ? { wrong: check.data.wrong.what } : {}),
  };
}
