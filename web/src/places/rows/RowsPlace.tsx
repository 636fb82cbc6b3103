/** Rows: bring in, look, sort, divide, mend. */
import { type DragEvent, type KeyboardEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { useBin, useField, useJobs, usePictureDetail } from "../../api/queries";
import { useAddress, usePlace } from "../../app/context";
import {
  type FieldRow,
  fieldRows,
  GROUPS,
  type GroupKey,
  imbalance,
  TILE_SIZES,
  type TileSize,
} from "../../domain/field";
import { EMPTY_INDEX, EXCLUDED, UNSURE } from "../../domain/fieldIndex";
import { isActive, jobWords } from "../../domain/jobs";
import { labelKey } from "../../domain/labelKeys";
import { moveOn, NOTHING_CHOSEN, refocus, type Selection } from "../../domain/selection";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { LabelSheet } from "../../parts/LabelSheet";
import { NameSheet } from "../../parts/NameSheet";
import { useNotices } from "../../parts/Notices";
import { ProgressBar } from "../../parts/ProgressBar";
import { Empty, Failed, Reading } from "../../parts/States";
import { fromDrop } from "./bringIn";
import { CloseUp } from "./CloseUp";
import { DivideSheet } from "./DivideSheet";
import { Field } from "./Field";
import { HistorySheet } from "./HistorySheet";
import { SIFT_INPUT, SiftLine } from "./SiftLine";
import { TakeOutSheet } from "./TakeOutSheet";
import { useMending } from "./useMending";
import { useSending } from "./useSending";

type Laid =
  | { kind: "take out" }
  | { kind: "divide" }
  | { kind: "new class" }
  | { kind: "split off" }
  | { kind: "rename class"; classId: number }
  | { kind: "merge class"; classId: number }
  | { kind: "history"; only: boolean }
  | { kind: "label" }
  | undefined;

const GROUP_WORDS: Record<GroupKey, string> = {
  class: "class",
  set: "set",
  size: "size",
  day: "day brought in",
  format: "file format",
  predicted: "predicted class",
  nothing: "nothing",
};

const MOVE_ON = "vast-orchard-move-on";

export function RowsPlace() {
  const { project, classes, split, run } = usePlace();
  const [params, setAddress] = useAddress();
  const group: GroupKey = GROUPS.find((key) => key === params.get("group")) ?? "class";
  const size = tileSizeOf(params.get("tile"));
  const sift = params.get("sift") ?? "";
  const asked = useMemo(
    () => ({ sift, group, split: split?.id, run: run?.id }),
    [sift, group, split?.id, run?.id],
  );
  const field = useField(project.id, asked);
  const mending = useMending(project.id);
  const { data: jobs = [] } = useJobs();
  const arriving = jobs.find(
    (job) => job.kind === "import" && job.project_id === project.id && isActive(job),
  );
  const { fail } = useNotices();
  const [laid, setLaid] = useState<Laid>();
  const [selection, setSelection] = useState<Selection>(NOTHING_CHOSEN);
  const [movesOn, setMovesOn] = useState(() => localStorage.getItem(MOVE_ON) === "yes");
  const [closeUp, setCloseUp] = useState<number>();
  const [over, setOver] = useState(false);
  const navigate = useNavigate();
  const { sending, send, stop } = useSending(project.id);
  const bin = useBin(project.id);
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

  const step = (by: -1 | 1) => {
    const at = (closeUp === undefined ? undefined : index.indexOf(closeUp)) ?? selection.focus;
    const next = Math.max(0, Math.min(index.loaded - 1, at + by));
    const id = index.idAt(next);
    if (id === undefined) return;
    setCloseUp(id);
    setSelection({ chosen: new Set([id]), focus: next, anchor: next });
  };

  const mendByKey = (event: KeyboardEvent, ids: readonly number[]) => {
    if (event.altKey) return;
    if (event.ctrlKey || event.metaKey) {
      const key = event.key.toLowerCase();
      if (key === "z" && !event.shiftKey) void mending.undo();
      else if (key === "y" || key === "z") void mending.redo();
      else if (key === "a") setSelection((now) => ({ ...now, chosen: new Set(index.ids()) }));
      else return;
      event.preventDefault();
      return;
    }
    const asksFor = labelKey(event.key, classes);
    if (asksFor?.kind === "label") label(ids, asksFor.classId);
    else if (asksFor && ids.length) setLaid({ kind: "label" });
    else if (event.key === "x") toggle(ids, "excluded");
    else if (event.key === "u") toggle(ids, "unsure");
    else if (event.key === "n") setLaid({ kind: ids.length ? "split off" : "new class" });
    else if (event.key === "h") setLaid({ kind: "history", only: false });
    else if (event.key === "/") document.getElementById(SIFT_INPUT)?.focus();
    else if (event.key === "Delete") {
      if (ids.length) void mending.bin(ids);
      if (closeUp !== undefined) step(1);
    } else if (event.key === "Escape") setSelection((now) => ({ ...now, chosen: new Set() }));
    else if (event.key === "+" || event.key === "-") {
      const next = TILE_SIZES[TILE_SIZES.indexOf(size) + (event.key === "+" ? 1 : -1)];
      if (next) setAddress({ tile: String(next) });
    } else return;
    event.preventDefault();
  };

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

  const nameOf = (classId: number) => classes.find((entry) => entry.id === classId)?.name ?? "";
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
      <div className="flex items-center gap-2 border-b border-hairline px-3 py-1.5">
        <Button kind={total || sift ? "plain" : "main"} onClick={bringIn}>
          Bring in pictures
        </Button>
        <Button disabled={nothing} onClick={() => setLaid({ kind: "divide" })}>
          Divide
        </Button>
        <Button onClick={() => setLaid({ kind: chosen.length ? "split off" : "new class" })}>
          {chosen.length ? "Split off" : "New class"}
        </Button>
        <Button disabled={nothing} onClick={() => setLaid({ kind: "take out" })}>
          Take out
        </Button>
        <Button title="What was changed (H)" onClick={() => setLaid({ kind: "history", only: false })}>
          History
        </Button>
        <Button title="Take back this window's last step (Ctrl + Z)" onClick={() => void mending.undo()}>
          Undo
        </Button>
        {sending && (
          <div className="flex w-64 items-center gap-2" role="status">
            <span className="whitespace-nowrap">
              Sending {sending.sent} of {sending.total}
            </span>
            <ProgressBar done={sending.sent} total={sending.total} label="Sending files" />
            <Button onClick={stop}>Stop</Button>
          </div>
        )}
        <div className="ml-auto flex items-center gap-4">
          {!!bin.data?.count && (
            <Link to={`/p/${project.id}/rows/bin`} className="text-quiet hover:underline">
              Bin {bin.data.count.toLocaleString("en")}
            </Link>
          )}
          <label className="flex items-center gap-2">
            <span className="text-quiet">Rows by</span>
            <select
              className="rounded-control border border-edge bg-surface px-1.5 py-0.5"
              value={group}
              onChange={(event) =>
                setAddress({ group: event.target.value === "class" ? undefined : event.target.value })
              }
            >
              {GROUPS.filter((key) => key !== "predicted" || run).map((key) => (
                <option key={key} value={key}>
                  {GROUP_WORDS[key]}
                </option>
              ))}
            </select>
          </label>
          <Choice<TileSize>
            label="Tiles"
            value={size}
            onChange={(value) => setAddress({ tile: String(value) })}
            options={TILE_SIZES.map((value) => ({ value, label: value, title: `${value} pixels` }))}
          />
        </div>
      </div>
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
            : `${data ? plural(total, "picture") : "…"}${arriving ? `; ${jobWords(arriving).toLowerCase()}` : ""}`}
        </span>
        {unequal && (
          <span
            className="text-wrong"
            title={`${unequal.smallest.name} has ${unequal.smallest.count}, ${unequal.largest.name} ${unequal.largest.count}`}
          >
            Classes unequal, 1 : {unequal.times.toFixed(unequal.times < 10 ? 1 : 0)}
          </span>
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
      <div className="relative min-h-0 flex-1">
        {field.isPending && <Reading what="pictures" />}
        {field.isError && !field.error.place && (
          <Failed error={field.error} onRetry={() => void field.refetch()} />
        )}
        {field.error?.place && !data && (
          <Empty title="Nothing is shown, because the Sift has a mistake">
            <p className="mb-4">It is marked in the line above, with how to mend it.</p>
            <Button kind="main" onClick={() => setAddress({ sift: undefined })}>
              Show all
            </Button>
          </Empty>
        )}
        {nothing && arriving && (
          <Empty title={arriving.title}>
            <p className="mb-2">{jobWords(arriving)}</p>
            <ProgressBar done={arriving.done} total={arriving.total} label={arriving.title} />
          </Empty>
        )}
        {nothing && !arriving && (
          <Empty title="No pictures yet">
            <p className="mb-4">
              Drop files, a folder, a zip or a tar here. You see which classes were understood, and what is
              skipped, before anything is stored; nothing is added twice.
            </p>
            <Button kind="main" onClick={bringIn}>
              Bring in pictures
            </Button>
          </Empty>
        )}
        {data && total === 0 && sift && !field.isError && (
          <Empty title="The Sift lets no picture through">
            <p className="mb-4">
              Nothing is <code className="font-mono">{sift}</code>.
            </p>
            <Button kind="main" onClick={() => setAddress({ sift: undefined })}>
              Show all
            </Button>
          </Empty>
        )}
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
            onLabel={label}
            onOpen={setCloseUp}
            onKey={(event) => mendByKey(event, chosen)}
            heads={{
              onChooseAll: chooseRow,
              onRename: (classId) => setLaid({ kind: "rename class", classId }),
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
          onKey={(event) => mendByKey(event, [closeUp])}
          onNote={(note) => void mending.note(closeUp, note)}
        />
      )}
      {laid?.kind === "take out" && (
        <TakeOutSheet
          projectId={project.id}
          pictures={project.pictures}
          sifted={sift ? { ...asked, count: total } : undefined}
          chosen={chosen}
          split={split}
          onClose={() => setLaid(undefined)}
        />
      )}
      {laid?.kind === "divide" && (
        <DivideSheet
          projectId={project.id}
          classes={classes}
          split={split}
          onClose={() => setLaid(undefined)}
          onDivided={(made) => setAddress({ split: String(made.id) })}
        />
      )}
      {laid?.kind === "new class" && (
        <NameSheet
          title="New class"
          label="Name"
          action="Make class"
          onClose={() => setLaid(undefined)}
          onName={mending.newClass}
        />
      )}
      {laid?.kind === "split off" && (
        <NameSheet
          title={`Split off ${plural(chosen.length, "picture")} as a new class`}
          label="Name"
          action="Split off"
          onClose={() => setLaid(undefined)}
          onName={(name) => mending.splitOff(name, chosen)}
        />
      )}
      {laid?.kind === "rename class" && (
        <NameSheet
          title="Rename class"
          label="New name"
          action="Rename"
          initial={nameOf(laid.classId)}
          onClose={() => setLaid(undefined)}
          onName={(name) => mending.renameClass(laid.classId, name)}
        />
      )}
      {laid?.kind === "merge class" && (
        <LabelSheet
          title={`Merge ${nameOf(laid.classId)} into`}
          classes={classes.filter((entry) => entry.id !== laid.classId)}
          onClose={() => setLaid(undefined)}
          onChoose={(into) => void mending.mergeClass(laid.classId, into)}
        />
      )}
      {laid?.kind === "history" && (
        <HistorySheet
          projectId={project.id}
          picture={chosen.length === 1 ? { id: chosen[0] as number, only: laid.only } : undefined}
          onOnly={(only) => setLaid({ kind: "history", only })}
          onShow={(action) => {
            setAddress({ sift: `action:${action}` });
            setLaid(undefined);
          }}
          onUndo={() => void mending.undo()}
          onRedo={() => void mending.redo()}
          onClose={() => setLaid(undefined)}
        />
      )}
      {laid?.kind === "label" && (
        <LabelSheet
          title={`Label ${plural(closeUp === undefined ? chosen.length : 1, "picture")}`}
          classes={classes}
          onClose={() => setLaid(undefined)}
          onChoose={(classId) => label(closeUp === undefined ? chosen : [closeUp], classId)}
        />
      )}
    </div>
  );
}

function tileSizeOf(text: string | null): TileSize {
  return TILE_SIZES.find((value) => String(value) === text) ?? 56;
}
