/** What can be done with the field as a whole, above it, and how it is laid out. */
import { Link } from "react-router";
import type { CopiesOf, Run } from "../../api/client";
import { GROUPS, type GroupKey, TILE_SIZES, type TileSize } from "../../domain/field";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { ProgressBar } from "../../parts/ProgressBar";
import type { Sending } from "../bring-in/useSending";

interface Props {
  projectId: number;
  /** There is neither a picture nor a Sift that could hide some. */
  nothing: boolean;
  fresh: boolean;
  chosen: number;
  binned: number;
  copies: CopiesOf | undefined;
  run: Run | undefined;
  group: GroupKey;
  size: TileSize;
  sending: Sending | undefined;
  onStopSending: () => void;
  onBringIn: () => void;
  onLay: (kind: "take out" | "divide" | "new class" | "split off" | "history") => void;
  onUndo: () => void;
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
  nothing: "nothing",
};

export function RowsTools(props: Props) {
  const { nothing, chosen, copies, sending, onLay, onAddress } = props;
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
        <div className="flex w-64 items-center gap-2" role="status">
          <span className="whitespace-nowrap">
            Sending {sending.sent} of {sending.total}
          </span>
          <ProgressBar done={sending.sent} total={sending.total} label="Sending files" />
          <Button onClick={props.onStopSending}>Stop</Button>
        </div>
      )}
      <div className="ml-auto flex items-center gap-4 whitespace-nowrap">
        {!!copies?.groups && props.group !== "copies" && (
          <button
            type="button"
            className="cursor-pointer text-quiet hover:underline"
            title={`${copies.pictures} pictures; ${copies.differing} of the groups under different labels`}
            onClick={() => onAddress({ group: "copies", sift: "copies" })}
          >
            Copies {copies.groups.toLocaleString("en")}
          </button>
        )}
        {!!props.binned && (
          <Link to={`/p/${props.projectId}/rows/bin`} className="text-quiet hover:underline">
            Bin {props.binned.toLocaleString("en")}
          </Link>
        )}
        <label className="flex items-center gap-2">
          <span className="text-quiet">Rows by</span>
          <select
            className="rounded-control border border-edge bg-surface px-1.5 py-0.5"
            value={props.group}
            onChange={(event) =>
              onAddress({ group: event.target.value === "class" ? undefined : event.target.value })
            }
          >
            {GROUPS.filter((key) => key !== "predicted" || props.run).map((key) => (
              <option key={key} value={key}>
                {GROUP_WORDS[key]}
              </option>
            ))}
          </select>
        </label>
        <Choice<TileSize>
          label="Tiles"
          value={props.size}
          onChange={(value) => onAddress({ tile: String(value) })}
          options={TILE_SIZES.map((value) => ({ value, label: value, title: `${value} pixels` }))}
        />
      </div>
    </div>
  );
}
