/** Rows: bring in, look, sort, divide, mend. */
import { type KeyboardEvent, useState } from "react";
import { useNavigate } from "react-router";
import type { Job } from "../../api/client";
import { useBin, useCopies, useJobs, usePictureDetail } from "../../api/queries";
import { useAddress, usePlace } from "../../app/context";
import { isActive } from "../../domain/jobs";
import { useSending } from "../bring-in/useSending";
import { CopiesBar } from "../mending/CopiesBar";
import { type Mending, useMending } from "../mending/useMending";
import { CloseUp } from "./CloseUp";
import { DropArea } from "./DropArea";
import { FieldStates } from "./FieldStates";
import { RowsBar } from "./RowsBar";
import { type Laid, RowsSheets } from "./RowsSheets";
import { RowsTools } from "./RowsTools";
import { mendByKey } from "./rowKeys";
import { ShownField } from "./ShownField";
import { type RowsActions, useRowsDesk } from "./useRowsDesk";
import { type Chosen, useSelection } from "./useSelection";
import { type ShownField as Shown, useShownField } from "./useShownField";

const MOVE_ON = "vast-orchard-move-on";

function useMovesOn(): [boolean, (now: boolean) => void] {
  const [movesOn, setMovesOn] = useState(() => localStorage.getItem(MOVE_ON) === "yes");
  const set = (now: boolean) => {
    setMovesOn(now);
    localStorage.setItem(MOVE_ON, now ? "yes" : "no");
  };
  return [movesOn, set];
}

/** Work of a kind that goes on in this project. */
function useUnderWay(projectId: number, kind: Job["kind"]): Job | undefined {
  const { data: jobs = [] } = useJobs();
  return jobs.find((job) => job.kind === kind && job.project_id === projectId && isActive(job));
}

export function RowsPlace() {
  const { project } = usePlace();
  const [, setAddress] = useAddress();
  const navigate = useNavigate();
  const shown = useShownField();
  const mending = useMending(project.id);
  const chosen = useSelection(shown.index, shown.total);
  const [laid, setLaid] = useState<Laid>();
  const [closeUp, setCloseUp] = useState<number>();
  const [movesOn, setMovesOn] = useMovesOn();
  const arriving = useUnderWay(project.id, "import");
  const sending = useSending(project.id);
  const desk = useRowsDesk({
    shown,
    chosen,
    mending,
    movesOn,
    closeUp,
    onCloseUp: setCloseUp,
    onLay: setLaid,
  });
  const bringIn = () => navigate(`/p/${project.id}/rows/bring-in`);
  const onKey = (event: KeyboardEvent, ids: readonly number[]) => mendByKey(event, ids, desk);
  const parts = { shown, chosen, mending, desk };
  return (
    <DropArea send={sending.send}>
      <Tools {...parts} sending={sending} onLay={setLaid} onBringIn={bringIn} />
      <RowsBar
        shown={shown}
        chosen={chosen.chosen.length}
        arriving={arriving}
        movesOn={movesOn}
        onMovesOn={setMovesOn}
      />
      {shown.group === "copies" && <Copies {...parts} />}
      <div className="relative min-h-0 flex-1">
        <FieldStates
          field={shown.field}
          data={shown.data}
          sift={shown.sift}
          arriving={arriving}
          onShowAll={() => setAddress({ sift: undefined })}
          onBringIn={bringIn}
        />
        {shown.total > 0 && (
          <NamedField {...parts} closeUp={closeUp} onLay={setLaid} onOpen={setCloseUp} onKey={onKey} />
        )}
      </div>
      {closeUp !== undefined && <Opened {...parts} id={closeUp} onClose={setCloseUp} onKey={onKey} />}
      <Sheets {...parts} laid={laid} closeUp={closeUp} onLay={setLaid} />
    </DropArea>
  );
}

interface Parts {
  shown: Shown;
  chosen: Chosen;
  mending: Mending;
  desk: RowsActions;
}

function Tools(
  props: Parts & {
    sending: ReturnType<typeof useSending>;
    onLay: (next: Laid) => void;
    onBringIn: () => void;
  },
) {
  const { project, run } = usePlace();
  const [, setAddress] = useAddress();
  const { shown, chosen, desk, sending, onLay } = props;
  const bin = useBin(project.id);
  const copies = useCopies(project.id, shown.field.data !== undefined);
  return (
    <RowsTools
      projectId={project.id}
      nothing={shown.data !== undefined && shown.total === 0 && !shown.sift}
      fresh={!shown.total && !shown.sift}
      chosen={chosen.chosen.length}
      binned={bin.data?.count ?? 0}
      copies={copies.data}
      run={run}
      group={shown.group}
      size={shown.size}
      sending={sending.sending}
      onStopSending={sending.stop}
      onBringIn={props.onBringIn}
      onLay={(kind) => onLay(kind === "history" ? { kind, only: false } : { kind })}
      onUndo={desk.undo}
      onAddress={setAddress}
    />
  );
}

function Copies({ shown, chosen, mending, desk }: Parts) {
  const { project } = usePlace();
  const copies = useCopies(project.id, shown.field.data !== undefined);
  const searching = useUnderWay(project.id, "copies");
  return (
    <CopiesBar
      projectId={project.id}
      copies={copies.data}
      searching={searching}
      chosen={chosen.chosen}
      onKeep={(ids) => void mending.keepOfCopies(ids)}
      onDismiss={desk.dismissCopies}
      onSearch={() => void mending.searchCopies()}
    />
  );
}

function NamedField(
  props: Parts & {
    closeUp: number | undefined;
    onLay: (next: Laid) => void;
    onOpen: (id: number) => void;
    onKey: (event: KeyboardEvent, ids: readonly number[]) => void;
  },
) {
  const { project, split } = usePlace();
  const { shown, chosen, closeUp, onKey, ...rest } = props;
  const focused = shown.index.idAt(chosen.selection.focus);
  const detail = usePictureDetail(project.id, closeUp ?? focused, split?.id).data?.picture;
  return (
    <ShownField
      {...rest}
      shown={shown}
      chosen={chosen}
      focusName={detail && detail.id === focused ? detail.name : undefined}
      onKey={(event) => onKey(event, chosen.chosen)}
    />
  );
}

function Opened(
  props: Parts & {
    id: number;
    onClose: (next: undefined) => void;
    onKey: (event: KeyboardEvent, ids: readonly number[]) => void;
  },
) {
  const { project, classes, split } = usePlace();
  const { id, desk, mending } = props;
  return (
    <CloseUp
      projectId={project.id}
      pictureId={id}
      split={split?.id}
      classes={classes}
      onClose={() => props.onClose(undefined)}
      onStep={desk.step}
      onKey={(event) => props.onKey(event, [id])}
      onLike={() => desk.showLike(id)}
      onNote={(note) => void mending.note([id], note)}
    />
  );
}

function Sheets(props: Parts & { laid: Laid; closeUp: number | undefined; onLay: (next: Laid) => void }) {
  const { project, classes, splits, split } = usePlace();
  const [, setAddress] = useAddress();
  const { shown, chosen, mending, desk, closeUp } = props;
  return (
    <RowsSheets
      laid={props.laid}
      project={project}
      classes={classes}
      splits={splits}
      split={split}
      asked={shown.asked}
      total={shown.total}
      chosen={chosen.chosen}
      mended={closeUp === undefined ? chosen.chosen : [closeUp]}
      mending={mending}
      onLay={props.onLay}
      onLabel={desk.label}
      onSet={desk.moveToSet}
      onAddress={setAddress}
    />
  );
}
