/** The same ingredients with today's labels: offered once something was mended since the run on show. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, need, type Run } from "../../api/client";
import { useFooting } from "../../api/runQueries";
import { usePlace } from "../../app/context";
import { recipeBody, recipeOf } from "../../domain/start";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";

export function TrainAgain({ run }: { run: Run }) {
  const { project } = usePlace();
  const { data: footing } = useFooting(project.id, run.id);
  const { say, fail } = useNotices();
  const queries = useQueryClient();
  const [busy, setBusy] = useState(false);
  const mended = footing?.labels_changed ?? 0;
  if (!mended) return null;
  const train = async () => {
    setBusy(true);
    try {
      const made = await need(
        client.POST("/api/projects/{project_id}/runs", {
          params: { path: { project_id: project.id } },
          body: {
            split_id: run.split_id,
            name: "",
            note: `After ${plural(mended, "label")} mended since run ${run.number}.`,
            recipe: recipeBody(recipeOf(run)),
          },
        }),
      );
      for (const key of ["runs", "queue", "jobs"]) await queries.invalidateQueries({ queryKey: [key] });
      say(
        `Run ${made.number} trains on today’s labels. When it has ended, Compare tells what the mending did.`,
      );
    } catch (error) {
      fail(error);
    }
    setBusy(false);
  };
  return (
    <Button
      kind="main"
      disabled={busy}
      title={`The same recipe and sets as run ${run.number}, with today's labels`}
      onClick={() => void train()}
    >
      Train again <span className="font-normal">({plural(mended, "label")} mended)</span>
    </Button>
  );
}
