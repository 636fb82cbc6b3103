/** Rows: bring in, look, sort, divide, mend. */
import { useState } from "react";
import { useNavigate } from "react-router";
import type { Job } from "../../api/client";
import { useFindings } from "../../api/findingQueries";
import { useBin, useCopies, useJobs } from "../../api/queries";
import { useAddress, usePlace } from "../../app/context";
import { kindOf } from "../../domain/findings";
import { isActive } from "../../domain/jobs";
import { useSending } from "../bring-in/useSending";
import { FieldOverlays } from "../field/FieldOverlays";
import { ShownField } from "../field/ShownField";
import { type FieldDesk, useFieldDesk } from "../field/useFieldDesk";
import { FindingsPanel } from "../findings/FindingsPanel";
import { useSettling } from "../findings/useSettling";
import { CopiesBar } from "../mending/CopiesBar";
import { DropArea } from "./DropArea";
import { FieldStates } from "./FieldStates";
import { RowsBar } from "./RowsBar";
import { RowsTools } from "./RowsTools";
import { SIFT_INPUT } from "./SiftLine";
import { type ShownField as RowsShown, useShownField } from "./useShownField";

const MOVE_ON = "vast-orchard-move-on";

function useMovesOn(): [boolean, (now: boolean) => void] {
  const [movesOn, setMovesOn] = useState(() => localStorage.getItem(MOVE_ON) === "yes");
  const set = (now: boolean) => {
    setMovesOn(now);
    localStorage.setItem(MOVE_ON, now ? "yes" : "no");
  };
  return [movesOn, set];
}

/** What fills a project. */
const ARRIVING: readonly Job["kind"][] = ["import", "sample", "duplicate", "bring_back"];

/** Work of one of these kinds that goes on in this project. */
function useUnderWay(projectId: number, kinds: readonly Job["kind"][]): Job | undefined {
  const { data: jobs = [] } = useJobs();
  return jobs.find((job) => kinds.includes(job.kind) && job.project_id === projectId && isActive(job));
}

export function RowsPlace() {
  const { project } = usePlace();
  const [, setAddress] = useAddress();
  const navigate = useNavigate();
  const shown = useShownField();
  const [movesOn, setMovesOn] = useMovesOn();
  const arriving = useUnderWay(project.id, ARRIVING);
  const sending = useSending(project.id);
  const settling = useSettling(project.id);
  const found = shown.group === "finding";
  const { data: looked } = useFindings(project.id, found);
  const parts = useFieldDesk(shown, {
    movesOn,
    ...(found && {
      accept: (ids: readonly number[]) => settling.putRight(ids),
      dismiss: (ids: readonly number[]) => {
        for (const [kind, own] of idsByKind(shown, ids)) settling.dismiss(kind, own);
      },
    }),
    onSift: (sift, like) => setAddress({ sift, like: like === undefined ? undefined : String(like) }),
    onWriteSift: () => document.getElementById(SIFT_INPUT)?.focus(),
  });
  const bringIn = () => navigate(`/p/${project.id}/rows/bring-in`);
  return (
    <DropArea send={sending.send}>
      <Tools shown={shown} parts={parts} sending={sending} onBringIn={bringIn} />
      <RowsBar
        shown={shown}
        chosen={parts.chosen.chosen.length}
        arriving={arriving}
        movesOn={movesOn}
        onMovesOn={setMovesOn}
      />
      {shown.group === "copies" && <Copies shown={shown} parts={parts} />}
      <div className="flex min-h-0 flex-1">
        {found && <FoundBeside shown={shown} />}
        <div className="relative min-h-0 min-w-0 flex-1">
          <FieldStates
            hushed={found && looked?.looked_at === null}
            field={shown.field}
            data={shown.data}
            sift={shown.sift}
            arriving={arriving}
            onShowAll={() => setAddress({ sift: undefined, group: undefined })}
            onBringIn={bringIn}
          />
          {shown.total > 0 && <ShownField parts={parts} />}
        </div>
      </div>
      <FieldOverlays parts={parts} />
    </DropArea>
  );
}

/** Of each kind of finding those of the pictures that stand in its row. */
function idsByKind(shown: RowsShown, ids: readonly number[]): Map<string, number[]> {
  const ends: { kind: string; end: number }[] = [];
  for (const row of shown.rows) {
    ends.push({ kind: row.key.replace(/^finding-/, ""), end: (ends.at(-1)?.end ?? 0) + row.count });
  }
  const found = new Map<string, number[]>();
  for (const id of ids) {
    const at = shown.index.indexOf(id);
    // A Sift for one kind shows what has others too, in the row of the costliest.
    const row = at === undefined ? undefined : ends.find((entry) => at < entry.end)?.kind;
    const kind = kindOf(shown.sift) ?? row;
    if (kind && kind !== "none") found.set(kind, [...(found.get(kind) ?? []), id]);
  }
  return found;
}

function FoundBeside({ shown }: { shown: RowsShown }) {
  const { project } = usePlace();
  const findings = useFindings(project.id, true);
  const looking = useUnderWay(project.id, ["findings"]);
  return (
    <FindingsPanel projectId={project.id} findings={findings.data} sift={shown.sift} looking={looking} />
  );
}

interface Parts {
  shown: RowsShown;
  parts: FieldDesk;
}

function Tools(
  props: Parts & {
    sending: ReturnType<typeof useSending>;
    onBringIn: () => void;
  },
) {
  const { project, run } = usePlace();
  const [, setAddress] = useAddress();
  const { shown, sending } = props;
  const { chosen, desk, setLaid } = props.parts;
  const bin = useBin(project.id);
  const copies = useCopies(project.id, shown.field.data !== undefined);
  const findings = useFindings(project.id, shown.field.data !== undefined);
  return (
    <RowsTools
      projectId={project.id}
      nothing={shown.data !== undefined && shown.total === 0 && !shown.sift}
      fresh={!shown.total && !shown.sift}
      chosen={chosen.chosen.length}
      binned={bin.data?.count ?? 0}
      copies={copies.data}
      findings={findings.data}
      run={run}
      group={shown.group}
      size={shown.size}
      sending={sending.sending}
      onStopSending={sending.stop}
      onBringIn={props.onBringIn}
      onLay={(kind) => setLaid(kind === "history" ? { kind, only: false } : { kind })}
      onUndo={desk.undo}
      onArea={() => desk.showArea(chosen.chosen)}
      onAddress={setAddress}
    />
  );
}

function Copies({ shown, parts: { chosen, mending, desk } }: Parts) {
  const { project } = usePlace();
  const copies = useCopies(project.id, shown.field.data !== undefined);
  const searching = useUnderWay(project.id, ["copies"]);
  return (
    <CopiesBar
      projectId={project.id}
      copies={copies.data}
      searching={searching}
      chosen={chosen.chosen}
      onKeep={(ids) => void mending.keepOfCopies(ids)}
      onDismiss={desk.dismiss}
      onSearch={() => void mending.searchCopies()}
    />
  );
}
