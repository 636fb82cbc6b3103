/** The list of a network: a line for each layer or block, with its numbers in place and what it comes to. */
import { Fragment, type KeyboardEvent, useEffect, useRef, useState } from "react";
import type { NetworkCheck, NetworkPart } from "../../api/client";
import type { Line, Part, Row } from "../../domain/network";
import * as list from "../../domain/network";
import { Button } from "../../parts/Button";
import { NetworkLine, OUTCOME } from "./NetworkLine";
import { PutIn } from "./PutIn";

interface Props {
  parts: readonly Part[];
  rows: readonly Row[];
  kinds: readonly NetworkPart[];
  check: NetworkCheck | undefined;
  cursor: Line | undefined;
  onCursor: (line: Line) => void;
  /** Undefined for a list that stays as it is. */
  onChange: ((parts: readonly Part[]) => void) | undefined;
  undo: (() => void) | undefined;
  redo: (() => void) | undefined;
}

type Step = { parts: readonly Part[]; line: Line } | undefined;

export function NetworkLines(props: Props) {
  const { parts, rows, kinds, check, cursor, onCursor, onChange } = props;
  const [putting, setPutting] = useState(false);
  const { grid, go } = useFocusAt(cursor, putting, onCursor);
  const take = (step: Step) => {
    if (!step || !onChange) return;
    onChange(step.parts);
    go(step.line);
  };
  const does = actions(props, take, () => setPutting(true));
  const put = (kind: NetworkPart) => {
    setPutting(false);
    take(list.putIn(parts, cursor, newPart(kind, cursor, check)));
  };
  const leave = () => {
    setPutting(false);
    go(cursor);
  };
  const asking = putting && <PutIn kinds={kinds} onPut={put} onClose={leave} />;
  return (
    <section aria-label="List" className="flex min-w-0 flex-1 flex-col">
      {onChange && <Tools does={does} undo={props.undo} redo={props.redo} />}
      <div
        ref={grid}
        role="grid"
        aria-label="Layers and blocks"
        tabIndex={-1}
        className="min-h-0 flex-1 overflow-y-auto pb-4"
        onKeyDown={(event) => onKeyOf(event, props, does, go)}
      >
        <Heads />
        {rows.map((row) => (
          <Fragment key={row.line.join(".")}>
            <NetworkLine
              row={row}
              kind={kinds.find((kind) => kind.kind === row.part.kind)}
              lit={list.sameLine(row.line, cursor)}
              check={check}
              onCursor={() => onCursor(row.line)}
              onPart={onChange && ((part) => onChange(list.replaced(parts, row.line, [part])))}
              onRepair={onChange}
            />
            {list.sameLine(row.line, cursor) && asking}
          </Fragment>
        ))}
        {rows.length === 0 && (asking || <NoLines onPut={onChange && (() => setPutting(true))} />)}
        <End check={check} onRepair={onChange} />
      </div>
    </section>
  );
}

/** Where the grid is, and a way to move the cursor that takes the focus along once the line is there. */
function useFocusAt(cursor: Line | undefined, busy: boolean, onCursor: (line: Line) => void) {
  const grid = useRef<HTMLDivElement>(null);
  const wanted = useRef(false);
  const at = cursor?.join(".");
  useEffect(() => {
    if (!wanted.current || busy || at === undefined) return;
    wanted.current = false;
    grid.current?.querySelector<HTMLElement>(`[data-line="${at}"]`)?.focus();
  });
  const go = (line: Line | undefined) => {
    if (!line) return;
    wanted.current = true;
    onCursor(line);
  };
  return { grid, go };
}

function NoLines({ onPut }: { onPut: (() => void) | undefined }) {
  return (
    <p className="px-4 py-6 text-quiet">
      The list is empty.{" "}
      {onPut && (
        <Button kind="main" onClick={onPut}>
          Put in the first
        </Button>
      )}
    </p>
  );
}

function Heads() {
  return (
    <div className="flex justify-end gap-3 border-b border-hairline px-3 py-0.5 text-xs text-quiet">
      <span className={`${OUTCOME[0]} text-right`}>comes out</span>
      <span className={`${OUTCOME[1]} text-right`}>parameters</span>
      <span className={OUTCOME[2]}>arithmetic</span>
    </div>
  );
}

interface Does {
  readonly [name: string]: (() => void) | undefined;
}

/** What can be done at the cursor; undefined where it cannot. */
function actions(
  { parts, cursor, check, onChange }: Props,
  take: (step: Step) => void,
  put: () => void,
): Does {
  if (!onChange) return {};
  const step = (found: Step) => (found ? () => take(found) : undefined);
  const part = cursor && list.partAt(parts, cursor);
  if (!cursor || !part) return { put };
  const opened = check?.opened.find((entry) => list.sameLine(entry.line, cursor));
  return {
    put,
    duplicate: step(list.duplicated(parts, cursor)),
    up: step(list.moved(parts, cursor, -1)),
    down: step(list.moved(parts, cursor, 1)),
    out: step(list.takenOut(parts, cursor)),
    repeat: step(list.repeatedOnce(parts, cursor)),
    grow: step(list.drawnIn(parts, cursor)),
    open:
      opened &&
      step({ parts: list.replaced(parts, cursor, opened.layers as unknown as Part[]), line: cursor }),
  };
}

const KEYS: Record<string, string> = {
  Enter: "put",
  i: "put",
  d: "duplicate",
  Delete: "out",
  Backspace: "out",
  r: "repeat",
  "[": "grow",
  o: "open",
};

function onKeyOf(event: KeyboardEvent, props: Props, does: Does, go: (line: Line | undefined) => void) {
  const { rows, cursor, undo, redo } = props;
  const key = event.key;
  const inField = (event.target as HTMLElement).closest("input, select") !== null;
  const run = (what: (() => void) | undefined) => {
    event.preventDefault();
    event.stopPropagation();
    what?.();
  };
  if (event.ctrlKey || event.metaKey) {
    if (key.toLowerCase() === "z") run(event.shiftKey ? redo : undo);
    else if (key.toLowerCase() === "y") run(redo);
    return;
  }
  if (event.altKey && key === "ArrowUp") return run(does.up);
  if (event.altKey && key === "ArrowDown") return run(does.down);
  if (key === "Escape" && inField) return run(() => go(cursor));
  if (inField || event.altKey) return;
  const place = rows.findIndex((row) => list.sameLine(row.line, cursor));
  const to = { ArrowUp: place - 1, ArrowDown: place + 1, Home: 0, End: rows.length - 1 }[key];
  if (to !== undefined) return run(() => go(rows[to]?.line));
  const name = KEYS[key];
  if (name) run(does[name]);
}

const TOOLS: [string, string, string][] = [
  ["put", "Put in", "Enter"],
  ["duplicate", "Duplicate", "D"],
  ["up", "Up", "Alt + ↑"],
  ["down", "Down", "Alt + ↓"],
  ["repeat", "Repeat", "R"],
  ["grow", "Take in the line above", "["],
  ["open", "Open into layers", "O"],
  ["out", "Take out", "Delete"],
];

function Tools({ does, undo, redo }: { does: Does; undo: Props["undo"]; redo: Props["redo"] }) {
  return (
    <div
      role="toolbar"
      aria-label="At the cursor"
      className="flex flex-wrap items-center gap-1 border-b border-hairline px-3 py-1"
    >
      {TOOLS.map(([name, words, key]) => (
        <Button
          key={name}
          kind="bare"
          disabled={!does[name]}
          title={`${words} (${key})`}
          onClick={does[name]}
        >
          {words}
        </Button>
      ))}
      <span className="ml-auto flex gap-1">
        <Button kind="bare" disabled={!undo} title="Ctrl + Z" onClick={undo}>
          Undo
        </Button>
        <Button kind="bare" disabled={!redo} title="Ctrl + Shift + Z" onClick={redo}>
          Redo
        </Button>
      </span>
    </div>
  );
}

/** What comes behind the last line, whatever it is. */
function End({ check, onRepair }: { check: NetworkCheck | undefined; onRepair: Props["onChange"] }) {
  const classes = check && !check.wrong ? check.lines[check.lines.length - 1]?.shape[0] : undefined;
  const missing = check?.wrong?.line?.length === 0 ? check.wrong : undefined;
  return (
    <div className="border-t border-hairline px-4 py-2 text-sm text-quiet" data-testid="network-end">
      {missing ? (
        <span className="flex items-center gap-3 text-wrong">
          {missing.what} {missing.why}
          {missing.repair && onRepair && (
            <Button onClick={() => onRepair(missing.repair?.layers as unknown as Part[])}>
              {missing.repair.words}
            </Button>
          )}
        </span>
      ) : (
        <>
          Then softmax: the {classes ? `${classes} ` : ""}values, one for each class, become probabilities
          that add up to one. Their number follows the classes that have pictures.
        </>
      )}
    </div>
  );
}

/** As it is usual for its kind; channels like those that come in. */
function newPart(kind: NetworkPart, cursor: Line | undefined, check: NetworkCheck | undefined): Part {
  const before = check?.lines.filter((entry) => list.sameLine(entry.line, cursor))[0];
  const channels = before?.shape.length === 3 ? (before.shape[2] ?? 16) : 16;
  const settings = kind.settings.map((setting) => [
    setting.name,
    setting.default ?? (setting.name === "channels" ? Math.max(4, channels) : 0),
  ]);
  return {
    ...Object.fromEntries(settings),
    kind: kind.kind,
    ...(kind.kind === "repeat" ? { layers: [] } : {}),
    ...(kind.kind === "dense" ? { outputs: 64 } : {}),
  };
}
