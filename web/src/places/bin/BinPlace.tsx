/** What was thrown away: to be looked at, taken out again, or removed for good. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Bin, type BinnedRun, client, header, need } from "../../api/client";
import { useBin, useDisk, useJobs } from "../../api/queries";
import { usePlace } from "../../app/context";
import { failureOf } from "../../domain/failure";
import { isActive } from "../../domain/jobs";
import { runTitle } from "../../domain/runs";
import { bytes, moment, plural, score } from "../../domain/words";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { Sheet } from "../../parts/Sheet";
import { Empty, Failed, Reading } from "../../parts/States";
import { PlaceHead } from "../head/PlaceHead";

/** What is done to the bin; `onDone` whenever it may hold something else. */
function useBinSteps(projectId: number, onDone: () => void) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const path = { project_id: projectId };
  const refresh = () => {
    onDone();
    for (const key of ["bin", "disk", "pictures", "classes", "projects", "jobs", "runs", "run"]) {
      void queries.invalidateQueries({ queryKey: [key] });
    }
  };
  const putBack = (ids: number[]) => {
    const asked = { params: { path, header }, body: { picture_ids: ids, back: true } };
    return need(client.POST("/api/projects/{project_id}/bin", asked))
      .then((done) => say(`${done.summary}.`))
      .catch(fail)
      .finally(refresh);
  };
  const putRunBack = (run: BinnedRun) =>
    need(client.POST("/api/runs/{run_id}/restore", { params: { path: { run_id: run.id } } }))
      .then(() => say(`${runTitle(run)} is in the Ledger again.`))
      .catch(fail)
      .finally(refresh);
  const empty = () =>
    need(client.DELETE("/api/projects/{project_id}/bin", { params: { path } }))
      .catch(fail)
      .finally(refresh);
  return { putBack, putRunBack, empty };
}

function toggled(chosen: ReadonlySet<number>, id: number): ReadonlySet<number> {
  const next = new Set(chosen);
  if (!next.delete(id)) next.add(id);
  return next;
}

export function BinPlace() {
  const { project } = usePlace();
  const bin = useBin(project.id);
  const { data: jobs = [] } = useJobs();
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const [sure, setSure] = useState(false);
  const { putBack, putRunBack, empty } = useBinSteps(project.id, () => setChosen(new Set()));
  const emptying = jobs.some((job) => job.kind === "empty" && job.project_id === project.id && isActive(job));
  const failure = failureOf(bin);
  if (failure) return <Failed error={failure} onRetry={() => void bin.refetch()} />;
  if (!bin.data) return <Reading what="the bin" />;
  const { count, pictures, runs } = bin.data;
  const nothing = !count && !runs.length;
  const ids = pictures.map((picture) => picture.id);
  const picked = ids.filter((id) => chosen.has(id));
  return (
    <section aria-label="Bin" className="flex h-full flex-col">
      <PlaceHead title="Bin">
        <span className="text-quiet" role="status">
          {emptying ? "Being emptied, see the tray" : <Amount count={count} runs={runs.length} />}
        </span>
        <Button
          disabled={!count || emptying}
          title="Pictures"
          onClick={() => void putBack(picked.length ? picked : ids)}
        >
          {putBackWords(picked.length, ids.length, count)}
        </Button>
        <Button kind="danger" disabled={nothing || emptying} onClick={() => setSure(true)}>
          Empty the bin
        </Button>
      </PlaceHead>
      <div className="min-h-0 flex-1 overflow-y-auto p-3">
        {nothing && <Nothing />}
        {runs.length > 0 && (
          <BinnedRuns runs={runs} disabled={emptying} onPutBack={(run) => void putRunBack(run)} />
        )}
        <BinPictures
          pictures={pictures}
          chosen={chosen}
          onToggle={(id) => setChosen((now) => toggled(now, id))}
        />
        {count > ids.length && (
          <p className="mt-2 text-quiet">
            The newest {ids.length} of {count.toLocaleString("en")} are shown.
          </p>
        )}
      </div>
      <SureSheet
        count={count}
        runs={runs.length}
        open={sure}
        onClose={() => setSure(false)}
        onSure={() => {
          setSure(false);
          void empty();
        }}
      />
    </section>
  );
}

function Amount({ count, runs }: { count: number; runs: number }) {
  const { project } = usePlace();
  const { data: disk } = useDisk(project.id);
  const pictures = `${plural(count, "picture")}${disk ? `, ${bytes(disk.bin)}` : ""}`;
  return runs ? `${plural(runs, "run")}; ${pictures}` : pictures;
}

interface BinnedRunsProps {
  runs: readonly BinnedRun[];
  disabled: boolean;
  onPutBack: (run: BinnedRun) => void;
}

function BinnedRuns({ runs, disabled, onPutBack }: BinnedRunsProps) {
  return (
    <ul className="mb-3" aria-label="Runs in the bin">
      {runs.map((run) => (
        <li key={run.id} className="flex items-baseline gap-3 border-t border-hairline py-1">
          <span className="min-w-0 truncate font-semibold">{runTitle(run)}</span>
          <span className="min-w-0 flex-1 truncate text-quiet">{heldWords(run)}</span>
          <span className="text-sm whitespace-nowrap text-quiet">thrown away {moment(run.deleted_at)}</span>
          <Button disabled={disabled} onClick={() => onPutBack(run)}>
            Put back
          </Button>
        </li>
      ))}
    </ul>
  );
}

function heldWords({ accuracy, holdings }: BinnedRun): string {
  return [
    accuracy === null ? "" : `${score(accuracy)} on its validation pictures`,
    `${bytes(holdings.weights_bytes)} of weights`,
    holdings.packs ? `${plural(holdings.packs, "pack")} of ${bytes(holdings.packs_bytes)}` : "",
    holdings.looks ? `${plural(holdings.looks, "look")} at the test set` : "",
  ]
    .filter(Boolean)
    .join(", ");
}

function Nothing() {
  return (
    <Empty title="The bin is empty">
      <p>Pictures that you delete in Rows, imports that you take back, and runs come here first.</p>
    </Empty>
  );
}

function putBackWords(picked: number, shown: number, count: number): string {
  if (picked) return `Put back ${picked} chosen`;
  return count > shown ? `Put back these ${shown}` : "Put back all";
}

interface BinPicturesProps {
  pictures: Bin["pictures"];
  chosen: ReadonlySet<number>;
  onToggle: (id: number) => void;
}

function BinPictures({ pictures, chosen, onToggle }: BinPicturesProps) {
  const { classes } = usePlace();
  const name = (classId: number | null) =>
    classes.find((entry) => entry.id === classId)?.name ?? "unlabelled";
  return (
    <ul className="flex flex-wrap gap-1" aria-label="Pictures in the bin">
      {pictures.map((picture) => (
        <li key={picture.id}>
          <button
            type="button"
            aria-pressed={chosen.has(picture.id)}
            title={`${picture.name}, ${name(picture.class_id)}, thrown away ${moment(picture.deleted_at)}`}
            className={`block cursor-pointer bg-sunken ${chosen.has(picture.id) ? "outline-2 outline-choice" : ""}`}
            onClick={() => onToggle(picture.id)}
          >
            <img
              src={`/api/thumbnails/${picture.sha256}`}
              alt={picture.name}
              loading="lazy"
              className="size-[72px] object-contain"
            />
          </button>
        </li>
      ))}
    </ul>
  );
}

interface SureSheetProps {
  count: number;
  runs: number;
  open: boolean;
  onClose: () => void;
  onSure: () => void;
}

function SureSheet({ count, runs, open, onClose, onSure }: SureSheetProps) {
  return (
    <Sheet title="Empty the bin" open={open} onClose={onClose}>
      <p className="mb-4">
        {runs > 0 && `${plural(runs, "run")} with models and packs and `}
        {plural(count, "picture")} {count + runs === 1 ? "is" : "are"} removed for good. This cannot be taken
        back. Runs in the Ledger keep the pictures that they were trained and judged on.
      </p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Keep them</Button>
        <Button kind="danger" onClick={onSure}>
          Remove for good
        </Button>
      </div>
    </Sheet>
  );
}
