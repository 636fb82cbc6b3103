/** What was found out about a split, each with what can be done about it. */
import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Split } from "../../api/client";
import { useSplitChecks } from "../../api/ingredientQueries";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { useSplitMending } from "./useSplitMending";

interface Props {
  projectId: number;
  split: Split;
  onSplit: (split: Split) => void;
  /** Takes the sheet away, so that the pictures behind it are seen. */
  onClose: () => void;
}

export function SplitChecks(props: Props) {
  const { projectId, split } = props;
  const { data: checks } = useSplitChecks(projectId, split.id);
  const { busy, mend } = useSplitMending(projectId, split.id, props.onSplit);
  if (!checks) return null;
  const { left_out: out, copy_groups: groups, looks } = checks;
  return (
    <ul className="mt-2 flex flex-col gap-1" data-testid="checks">
      {split.warnings.map((warning) => (
        <li key={warning} className="text-wrong">
          {warning}
        </li>
      ))}
      {groups > 0 && (
        <Mendable
          {...props}
          sift="parted-copies&group=copies"
          words={
            <span className="text-wrong">
              {plural(groups, "group")} of copies ({plural(checks.copy_pictures, "picture")}){" "}
              {groups === 1 ? "stands" : "stand"} in different sets: the judgement is too kind.
            </span>
          }
        >
          <Button disabled={busy} onClick={() => void mend("gather")}>
            Put each group into one set
          </Button>
        </Mendable>
      )}
      {checks.small.map((words) => (
        <li key={words}>
          {words} <span className="text-sm text-quiet">Wilson’s interval, 95 %.</span>
        </li>
      ))}
      {!!out.none && (
        <Mendable
          {...props}
          sift="set:none not unlabelled"
          words={`${plural(out.none, "labelled picture")} in no set.`}
        >
          <Button disabled={busy} onClick={() => void mend("top-up")} title="None that is in a set is moved">
            Top up
          </Button>
        </Mendable>
      )}
      <li className="text-sm text-quiet">
        Left out: {out.unlabelled} unlabelled, {out.excluded} excluded, {out.unsure} unsure. The test set was{" "}
        {looks ? `looked at ${looks === 1 ? "once" : `${looks} times`}` : "never looked at"}.
      </li>
    </ul>
  );
}

interface MendableProps extends Props {
  words: ReactNode;
  /** What shows the pictures in question. */
  sift: string;
  children: ReactNode;
}

function Mendable({ projectId, split, onClose, words, sift, children }: MendableProps) {
  return (
    <li className="flex items-baseline gap-2">
      <span>{words}</span>
      <Link
        onClick={onClose}
        className="text-choice underline"
        to={`/p/${projectId}/rows?sift=${sift}&split=${split.id}`}
      >
        See them
      </Link>
      {children}
    </li>
  );
}
