/** The network that the Run sheet is set to, layer by layer: a ready one, or one that the project keeps. */
import type { Network, Recipe } from "../../api/client";
import { useIngredients } from "../../api/ingredientQueries";
import { useNetworkCheck, useNetworks } from "../../api/runQueries";
import { type Part, versionName } from "../../domain/network";

export interface ShownNetwork {
  readonly parameters: number;
  readonly layers: Network["layers"];
  /** What is wrong with it; it cannot be trained then. */
  readonly wrong?: string;
}

export function useNetworkShown(projectId: number, recipe: Recipe): ShownNetwork | undefined {
  const { size, colour } = recipe.preprocessing;
  const channels = colour === "rgb" ? 3 : 1;
  const ready = useNetworks(projectId, size, channels).data?.find((entry) => entry.name === recipe.network);
  const { data: kept = [] } = useIngredients(projectId, "network");
  const own = kept.find((entry) => versionName(entry) === recipe.network || entry.name === recipe.network);
  const check = useNetworkCheck(
    projectId,
    own && {
      layers: (own.value.layers ?? []) as readonly Part[],
      size,
      channels,
      batchSize: recipe.settings.batch_size,
      pictures: 0,
    },
  );
  if (ready) return ready;
  if (!own || !check.data) return undefined;
  return {
    parameters: check.data.parameters,
    layers: check.data.lines.flatMap((entry) => entry.layers).sort((one, two) => one.place - two.place),
    ...(check.data.wrong ? { wrong: check.data.wrong.what } : {}),
  };
}
