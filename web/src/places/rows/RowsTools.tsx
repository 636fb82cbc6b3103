/** What can be done with the field as a whole, above it, and how it is laid out. */
import { Link } from "react-router";
import type { CopiesOf, Findings, Run } from "../../api/client";
import { TILE_SIZES, type TileSize } from "../../domain/field";
import { GROUPS, type GroupKey } from "../../domain/fieldRows";
import { ALL_FOUND, toSettle } from "../../domain/findings";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { SendingLine } from "../bring-in/SendingLine";
import type { Sending } from "../bring-in/useSending";

interface Props {
  projectId: number;
  /** There is neither a picture nor a Sift that could hide some. */
  nothing: boolean;
  fresh: boolean;
  chosen: number;
  binned: number;
  copies: CopiesOf | undefined;
  findings: Findings | undefined;
  run: Run | undefined;
  group: GroupKey;
  size: TileSize;
  sending: Sending | undefined;
  onStopSending: () => void;
  onBringIn: () => void;
  onLay: (kind: "take out" | "divide" | "new class" | "split off" | "history") => void;
  onUndo: () => void;
  onArea: () => void;
  onAddress: (next: Record<string, string | undefined>) => void;
}

const GROUP_WORDS: Record<GroupKey, string> = {
  class: "class",
  set: "set",
  size: "size",
  day: "day brought in",
  format: "file format",
  predicted: "predicted class",
  copies: "copies",
  finding: "findings",
  nothing: "nothing",
};

export function RowsTools(props: Props) {
  const { nothing, chosen, sending, onLay } = props;
  return (
    <div className="flex items-center gap-2 border-b border-hairline px-3 py-1.5">
      <Button kind={props.fresh ? "main" : "plain"} onClick={props.onBringIn}>
        Bring in pictures
      </Button>
      <Button disabled={nothing} onClick={() => onLay("divide")}>
        Divide
      </Button>
      <Button onClick={() => onLay(chosen ? "split off" : "new class")}>
        {chosen ? "Split off" : "New class"}
      </Button>
      <Button disabled={nothing} title="Which part of the pictures counts (A)" onClick={props.onArea}>
        Working area
      </Button>
      <Button disabled={nothing} onClick={() => onLay("take out")}>
        Take out
      </Button>
      <Button title="What was changed (H)" onClick={() => onLay("history")}>
        History
      </Button>
      <Button title="Take back this window's last step (Ctrl + Z)" onClick={props.onUndo}>
        Undo
      </Button>
      {sending && (
        <div className="w-64">
          <SendingLine sending={sending} onStop={props.onStopSending} />
        </div>
      )}
      <div className="ml-auto flex items-center gap-4 whitespace-nowrap">
        <Aside {...props} />
        <Layout {...props} />
      </div>
    </div>
  );
}

/** What stands beside the rows: copies, and what was put into the bin. */
function Aside({ projectId, copies, findings, group, binned, nothing, onAddress }: Props) {
  return (
    <>
      {group !== "finding" && findings && !nothing && (
        <button
          type="button"
          className="cursor-pointer text-quiet hover:underline"
          title="What checks of the pictures turned up, and what to do about it"
          onClick={() => onAddress({ group: "finding", sift: ALL_FOUND })}
        >
          {findings.looked_at ? `Findings ${toSettle(findings).toLocaleString("en")}` : "Findings"}
        </button>
      )}
      {!!copies?.groups && group !== "copies" && (
        <button
          type="button"
          className="cursor-pointer text-quiet hover:underline"
          title={`${copies.pictures} pictures; ${copies.differing} of the groups under different labels`}
          onClick={() => onAddress({ group: "copies", sift: "copies" })}
        >
          Copies {copies.groups.toLocaleString("en")}
        </button>
      )}
      {!!binned && (
        <Link to={`/p/${projectId}/rows/bin`} className="text-quiet hover:underline">
          Bin {binned.toLocaleString("en")}
        </Link>
      )}
    </>
  );
}

function Layout({ run, group, size, onAddress }: Props) {
  return (
    <>
      <label className="flex items-center gap-2">
        <span className="text-quiet">Rows by</span>
        <select
          className="rounded-control border border-edge bg-surface px-1.5 py-0.5"
          value={group}
          onChange={(event) =>
            onAddress({ group: event.target.value === "class" ? undefined : event.target.value })
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
        onChange={(value) => onAddress({ tile: String(value) })}
        options={TILE_SIZES.map((value) => ({ value, label: value, title: `${value} pixels` }))}
      />
    </>
  );
}
