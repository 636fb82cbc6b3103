/** The page of a network: its list of layers and blocks beside a drawing to scale, and what both come to. */
import { useEffect, useState } from "react";
import type { NetworkCheck, Recipe } from "../../api/client";
import { useNetworkCheck, useNetworkParts } from "../../api/runQueries";
import { type Line, lessonOf, type Part, rowsOf, sameLine } from "../../domain/network";
import { Failed, Reading } from "../../parts/States";
import { NetworkChoice } from "./NetworkChoice";
import { NetworkDrawing } from "./NetworkDrawing";
import { NetworkFacts } from "./NetworkFacts";
import { NetworkLines } from "./NetworkLines";
import { type NetworkDraft, useNetworkDraft } from "./useNetworkDraft";

interface Props {
  projectId: number;
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
  onBack: () => void;
  /** What it would learn from. */
  sets: { readonly training: number; readonly validation: number } | undefined;
}

const NOTHING: readonly Part[] = [];

export function NetworkBench({ projectId, recipe, onRecipe, onBack, sets }: Props) {
  const draft = useNetworkDraft(projectId, recipe, onRecipe);
  const parts = draft.parts ?? NOTHING;
  const lesson = lessonOf(recipe, sets);
  const { size } = lesson;
  const check = useNetworkCheck(projectId, draft.parts && { layers: parts, lesson });
  const catalogue = useNetworkParts();
  const [cursor, setCursor] = useState<Line>([0]);
  useWrittenOut(draft, parts, check.isPlaceholderData ? undefined : check.data?.written);
  const rows = rowsOf(parts);
  const here = rows.find((row) => sameLine(row.line, cursor))?.line ?? rows[0]?.line;

  if (catalogue.isError) return <Failed error={catalogue.error} onRetry={() => void catalogue.refetch()} />;
  if (!catalogue.data) return <Reading what="the layers" />;
  return (
    <div className="flex h-full flex-col" data-testid="network-bench">
      <NetworkChoice
        {...{ projectId, recipe, onRecipe, draft, lesson }}
        parts={parts}
        onBack={() => void draft.flush().then(onBack)}
      />
      <NetworkFacts check={check.data} lesson={lesson} epochs={recipe.settings.epochs} />
      {check.isError && <Failed error={check.error} onRetry={() => void check.refetch()} />}
      <div className={`flex min-h-0 flex-1 ${draft.parts ? "" : "invisible"}`}>
        <NetworkLines
          {...{ parts, rows }}
          kinds={catalogue.data}
          check={check.data}
          cursor={here}
          onCursor={setCursor}
          onChange={draft.own ? draft.change : undefined}
          undo={draft.undo}
          redo={draft.redo}
        />
        <NetworkDrawing lines={check.data?.lines ?? []} size={size} cursor={here} onCursor={setCursor} />
      </div>
    </div>
  );
}

/** What the server made of this list takes its place: every setting, every id. */
function useWrittenOut(
  { adopt }: NetworkDraft,
  parts: readonly Part[],
  written: NetworkCheck["written"] | undefined,
) {
  useEffect(() => {
    if (written) adopt(parts, written as unknown as readonly Part[]);
  }, [adopt, parts, written]);
}
