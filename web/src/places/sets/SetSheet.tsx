/** Puts pictures into a set of the split on show, or into none. */
import type { SetName, Split } from "../../api/client";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Sheet } from "../../parts/Sheet";

const SETS: readonly { set: SetName | null; label: string; help: string }[] = [
  { set: "training", label: "Training", help: "the network learns from it" },
  { set: "validation", label: "Validation", help: "compares runs" },
  { set: "test", label: "Test", help: "judges at the end" },
  { set: null, label: "No set", help: "takes no part" },
];

interface Props {
  count: number;
  split: Split | undefined;
  onClose: () => void;
  onSet: (set: SetName | null) => void;
}

export function SetSheet({ count, split, onClose, onSet }: Props) {
  return (
    <Sheet title={`Put ${plural(count, "picture")} into a set`} open onClose={onClose}>
      {split ? (
        <>
          <p className="mb-3 text-quiet">
            {split.name}
            {split.version > 1 ? `, version ${split.version}` : ""}.{" "}
            {split.runs.length
              ? "Runs have used it, so this makes its next version; what they used stays."
              : "No run has used it yet, so it is changed itself."}
          </p>
          <div className="grid grid-cols-[120px_1fr] items-center gap-2">
            {SETS.map(({ set, label, help }) => (
              <div key={label} className="contents">
                <Button
                  className="justify-center"
                  disabled={!count}
                  onClick={() => {
                    onSet(set);
                    onClose();
                  }}
                >
                  {label}
                </Button>
                <span className="text-quiet">{help}</span>
              </div>
            ))}
          </div>
        </>
      ) : (
        <p className="text-quiet">The pictures are not divided yet: Divide them first.</p>
      )}
    </Sheet>
  );
}
