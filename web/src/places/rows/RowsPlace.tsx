/** Rows: bring in, look, sort, divide, mend. */
import { type DragEvent, type KeyboardEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import type { SetName } from "../../api/client";
import { useBin, useCopies, useField, useJobs, usePictureDetail } from "../../api/queries";
import { useAddress, usePlace } from "../../app/context";
import {
  type FieldRow,
  fieldRows,
  GROUPS,
  type GroupKey,
  imbalance,
  setOfRow,
  TILE_SIZES,
  type TileSize,
} from "../../domain/field";
import { EMPTY_INDEX, EXCLUDED, UNSURE } from "../../domain/fieldIndex";
import { arrivingWords, isActive } from "../../domain/jobs";
import { moveOn, NOTHING_CHOSEN, refocus, type Selection } from "../../domain/selection";
import { asksAboutRun, orderedByLikeness } from "../../domain/siftLine";
import { plural } from "../../domain/words";
import { useNotices } from "../../parts/Notices";
import { fromDrop } from "../bring-in/bringIn";
import { useSending } from "../bring-in/useSending";
import { TestLook } from "../looks/TestLook";
import { useLook } from "../looks/useLook";
import { CopiesBar } from "../mending/CopiesBar";
import { useMending } from "../mending/useMending";
import { CloseUp } from "./CloseUp";
import { Field } from "./Field";
import { FieldStates } from "./FieldStates";
import { type Laid, RowsSheets } from "./RowsSheets";
import { RowsTools } from "./RowsTools";
import { mendByKey, type RowDesk } from "./rowKeys";
import { SIFT_INPUT, SiftLine } from "./SiftLine";

const MOVE_ON = "vast-orchard-move-on";

export function RowsPlace() {
  const { project, classes, splits, split, run } = usePlace();
  const [params, setAddress] = useAddress();
  const group: GroupKey = GROUPS.find((key) => key === params.get("group")) ?? "class";
  const size = tileSizeOf(params.get("tile"));
  const sift = params.get("sift") ?? "";
  const like = Number(params.get("like")) || undefined;
  const { look, judging, take } = useLook(run?.model, "rows");
  const shownLook = judging ? undefined : look;
  const asked = useMemo(
    () => ({ sift, group, split: split?.id, run: run?.id, look: shownLook, like }),
    [sift, group, split?.id, run?.id, shownLook, like],
  );
  const field = useField(project.id, asked);
  const mending = useMending(project.id);
  const { data: jobs = [] } = useJobs();
  const underWay = (kind: "import" | "copies") =>
    jobs.find((job) => job.kind === kind && job.project_id === project.id && isActive(job));
  const arriving = underWay("import");
  const { fail } = useNotices();
  const [laid, setLaid] = useState<Laid>();
  const [selection, setSelection] = useState<Selection>(NOTHING_CHOSEN);
  const [movesOn, setMovesOn] = useState(() => localStorage.getItem(MOVE_ON) === "yes");
  const [closeUp, setCloseUp] = useState<number>();
  const [over, setOver] = useState(false);
  const navigate = useNavigate();
  const { sending, send, stop } = useSending(project.id);
  const bin = useBin(project.id);
  const copies = useCopies(project.id, field.data !== undefined);
  const bringIn = () => navigate(`/p/${project.id}/rows/bring-in`);

  // A mistake in the Sift leaves on show what was there before it.
  const shown = useRef(field.data);
  if (field.data) shown.current = field.data;
  const data = field.data ?? shown.current;
  const index = data?.index ?? EMPTY_INDEX;
  const rows = useMemo(
    () => fieldRows(data?.rows ?? [], classes, group, !sift),
    [data?.rows, classes, group, sift],
  );
  const total = data?.total ?? 0;
  const chosen = useMemo(() => [...selection.chosen], [selection.chosen]);
  const focused = index.idAt(selection.focus);
  const detail = usePictureDetail(project.id, closeUp ?? focused, split?.id);
  const focusName = detail.data?.picture.id === focused ? detail.data?.picture.name : undefined;

  // When the field changes the focus stays with its picture; after a label it goes to the one that was next.
  const before = useRef({ index, next: undefined as number | undefined });
  useEffect(() => {
    if (before.current.index === index) return;
    const { index: old, next } = before.current;
    before.current = { index, next: undefined };
    setSelection((now) => (next === undefined ? refocus(now, old, index) : moveOn(now, next, index)));
  }, [index]);

  // Of a large field the rest is still on its way for a moment: all of it is meant.
  const allWanted = useRef(false);
  const chooseAll = useCallback(() => {
    allWanted.current = index.loaded < total;
    setSelection((now) => ({ ...now, chosen: new Set(index.ids()) }));
  }, [index, total]);
  useEffect(() => {
    if (allWanted.current && index.loaded === total) chooseAll();
  }, [index, total, chooseAll]);

  const label = useCallback(
    (ids: readonly number[], classId: number | null) => {
      if (!ids.length) return;
      if (movesOn && ids.length === 1) {
        const at = ids[0] === index.idAt(selection.focus) ? selection.focus : index.indexOf(ids[0] as number);
        before.current.next = at === undefined ? undefined : (index.idAt(at + 1) ?? index.idAt(at - 1));
        if (closeUp !== undefined) setCloseUp(before.current.next);
      }
      void mending.label(ids, classId);
    },
    [mending, movesOn, index, selection.focus, closeUp],
  );

  /** Sets a flag on pictures that lack it; where all have it, takes it away. */
  const toggle = (ids: readonly number[], flag: "excluded" | "unsure") => {
    if (!ids.length) return;
    const bit = flag === "excluded" ? EXCLUDED : UNSURE;
    const wanted = new Set(ids);
    let lacking = false;
    for (let at = 0; at < index.loaded && !lacking; at++) {
      lacking = !(index.flagsAt(at) & bit) && wanted.has(index.idAt(at) as number);
    }
    void mending.mark(ids, flag, lacking);
  };

  /** A split that a run has used goes on as its next version, and the address with it. */
  const moveToSet = (ids: readonly number[], set: SetName | null) => {
    if (split && ids.length)
      void mending
        .putInSet(split.id, ids, set)
        .then((now) => now && now !== split.id && setAddress({ split: String(now) }));
  };

  const step = (by: -1 | 1) => {
    const at = (closeUp === undefined ? undefined : index.indexOf(closeUp)) ?? selection.focus;
    const next = Math.max(0, Math.min(index.loaded - 1, at + by));
    const id = index.idAt(next);
    if (id === undefined) return;
    setCloseUp(id);
    setSelection({ chosen: new Set([id]), focus: next, anchor: next });
  };

  /** Puts the pictures most like this one first, in every row. */
  const showLike = (id: number) => {
    setCloseUp(undefined);
    setAddress({ like: String(id), sift: orderedByLikeness(sift) });
  };

  const resize = (by: -1 | 1) => {
    const next = TILE_SIZES[TILE_SIZES.indexOf(size) + by];
    if (next) setAddress({ tile: String(next) });
  };

  const desk: RowDesk = {
    classes,
    label,
    toggle,
    bin: (ids) => {
      void mending.bin(ids);
      if (closeUp !== undefined) step(1);
    },
    keepOfCopies: (ids) => void mending.keepOfCopies(ids),
    dismissCopies: (ids) => void mending.dismissCopies(ids),
    undo: () => void mending.undo(),
    redo: () => void mending.redo(),
    lay: setLaid,
    showLike,
    showVaried: (ids) =>
      navigate(`/p/${project.id}/runs?part=variation&pictures=${ids.slice(0, 12).join(",")}`),
    chooseAll,
    chooseNone: () => setSelection((now) => ({ ...now, chosen: new Set() })),
    sift: () => document.getElementById(SIFT_INPUT)?.focus(),
    resize,
  };
  const onKey = (event: KeyboardEvent, ids: readonly number[]) => mendByKey(event, ids, desk);

  const chooseRow = (row: FieldRow) => {
    const first = rows.slice(0, rows.indexOf(row)).reduce((sum, entry) => sum + entry.count, 0);
    const ids = new Set<number>();
    for (let at = first; at < first + row.count; at++) {
      const id = index.idAt(at);
      if (id !== undefined) ids.add(id);
    }
    setSelection({ chosen: ids, focus: first, anchor: first });
  };
  const moveClass = (classId: number, by: -1 | 1) => {
    const order = classes.map((entry) => entry.id);
    const from = order.indexOf(classId);
    const to = from + by;
    if (to < 0 || to >= order.length) return;
    order.splice(to, 0, ...order.splice(from, 1));
    void mending.orderClasses(order);
  };

  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    // Dropped on the row of a class, pictures are proposed to be of it.
    const row = (event.target as Element).closest("[data-row]")?.getAttribute("data-row");
    const className = classes.find((entry) => row === `class-${entry.id}`)?.name;
    fromDrop(event.dataTransfer).then((files) => send(files, className ? { className } : {}), fail);
  };

  const unequal = group === "class" && !sift ? imbalance(rows) : undefined;
  const nothing = data !== undefined && total === 0 && !sift;
  return (
    <div
      role="application"
      aria-label="Rows"
      className="flex h-full flex-col"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setOver(false)}
      onDrop={onDrop}
    >
      <RowsTools
        projectId={project.id}
        nothing={nothing}
        fresh={!total && !sift}
        chosen={chosen.length}
        binned={bin.data?.count ?? 0}
        copies={copies.data}
        run={run}
        group={group}
        size={size}
        sending={sending}
        onStopSending={stop}
        onBringIn={bringIn}
        onLay={(kind) => setLaid(kind === "history" ? { kind, only: false } : { kind })}
        onUndo={() => void mending.undo()}
        onAddress={setAddress}
      />
      <div className="flex items-center gap-3 border-b border-hairline px-3 py-1">
        <SiftLine
          projectId={project.id}
          asked={asked}
          error={field.error}
          onSift={(next) => setAddress({ sift: next || undefined })}
          onLeave={() => document.querySelector<HTMLElement>("[data-testid=field]")?.focus()}
        />
        <span className="text-quiet" role="status" data-testid="chosen">
          {selection.chosen.size
            ? `${plural(selection.chosen.size, "picture")} chosen: 1–9, 0, L or drag to label`
            : `${data ? plural(total, "picture") : "…"}${arriving ? `; ${arrivingWords(arriving)}` : ""}`}
        </span>
        {run?.model?.frozen && (group === "predicted" || asksAboutRun(sift)) && (
          <TestLook model={run.model} look={look} judging={judging} onLook={() => void take()} />
        )}
        {unequal && (
          <Link
            to={`/p/${project.id}/runs?part=learning`}
            className="text-wrong hover:underline"
            title={`${unequal.smallest.name} has ${unequal.smallest.count}, ${unequal.largest.name} ${unequal.largest.count}. See what training can do about it`}
          >
            Classes unequal, 1 : {unequal.times.toFixed(unequal.times < 10 ? 1 : 0)}
          </Link>
        )}
        <label className="flex items-center gap-1.5 text-quiet" title="After a label, go to the next picture">
          <input
            type="checkbox"
            checked={movesOn}
            onChange={(event) => {
              setMovesOn(event.target.checked);
              localStorage.setItem(MOVE_ON, event.target.checked ? "yes" : "no");
            }}
          />
          Move on
        </label>
      </div>
      {group === "copies" && (
        <CopiesBar
          projectId={project.id}
          copies={copies.data}
          searching={underWay("copies")}
          chosen={chosen}
          onKeep={(ids) => void mending.keepOfCopies(ids)}
          onDismiss={(ids) => void mending.dismissCopies(ids)}
          onSearch={() => void mending.searchCopies()}
        />
      )}
      <div className="relative min-h-0 flex-1">
        <FieldStates
          field={field}
          data={data}
          sift={sift}
          arriving={arriving}
          onShowAll={() => setAddress({ sift: undefined })}
          onBringIn={bringIn}
        />
        {total > 0 && (
          <Field
            projectId={project.id}
            rows={rows}
            index={index}
            classes={classes}
            size={size}
            selection={selection}
            focusName={focusName}
            onSelection={setSelection}
            accepts={(row) => row.classId !== undefined || (group === "set" && !!split)}
            onDropOn={(row, ids) => {
              if (row.classId !== undefined) label(ids, row.classId);
              else if (split) moveToSet(ids, setOfRow(row));
            }}
            onOpen={setCloseUp}
            onKey={(event) => onKey(event, chosen)}
            heads={{
              onChooseAll: chooseRow,
              onChange: (classId) => setLaid({ kind: "class", classId }),
              onMerge: (classId) => setLaid({ kind: "merge class", classId }),
              onMove: moveClass,
              onDelete: (classId) => void mending.deleteClass(classId),
            }}
          />
        )}
        {over && (
          <div className="pointer-events-none absolute inset-3 z-30 flex items-center justify-center border-2 border-dashed border-choice bg-choice-wash/80 text-xl font-semibold">
            Drop to bring in; on the row of a class, as that class
          </div>
        )}
      </div>
      {closeUp !== undefined && (
        <CloseUp
          projectId={project.id}
          pictureId={closeUp}
          split={split?.id}
          classes={classes}
          onClose={() => setCloseUp(undefined)}
          onStep={step}
          onKey={(event) => onKey(event, [closeUp])}
          onLike={() => showLike(closeUp)}
          onNote={(note) => void mending.note([closeUp], note)}
        />
      )}
      <RowsSheets
        laid={laid}
        project={project}
        classes={classes}
        split={split}
        asked={asked}
        total={total}
        chosen={chosen}
        mended={closeUp === undefined ? chosen : [closeUp]}
        mending={mending}
        onLay={setLaid}
        onLabel={label}
        onSet={moveToSet}
        splits={splits}
        onAddress={setAddress}
      />
    </div>
  );
}

function tileSizeOf(text: string | null): TileSize {
  return TILE_SIZES.find((value) => String(value) === text) ?? 56;
}
