/** What is known of copies, and what can be done with them; above the field while its rows are groups of copies. */
import { Link } from "react-router";
import type { CopiesOf, Job } from "../../api/client";
import { jobWords } from "../../domain/jobs";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";

interface Props {
  projectId: number;
  copies: CopiesOf | undefined;
  /** The search that goes on now. */
  searching: Job | undefined;
  chosen: readonly number[];
  onKeep: (pictureIds: readonly number[] | undefined) => void;
  onDismiss: (pictureIds: readonly number[]) => void;
  onSearch: () => void;
}

export function CopiesBar({ projectId, copies, searching, chosen, onKeep, onDismiss, onSearch }: Props) {
  if (!copies) return null;
  const agreeing = copies.groups - copies.differing;
  return (
    <div className="flex items-center gap-2 border-b border-hairline px-3 py-1.5">
      <p className="min-w-0 flex-1" role="status" data-testid="copies">
        {searching ? jobWords(searching) : <Known projectId={projectId} copies={copies} />}
      </p>
      {!!copies.waiting && !searching && (
        <Button title="Compare what has not been compared yet" onClick={onSearch}>
          Look for copies of {plural(copies.waiting, "picture")}
        </Button>
      )}
      <Button
        disabled={!chosen.length}
        title="Exclude the other copies of what is chosen (K)"
        onClick={() => onKeep(chosen)}
      >
        Keep chosen
      </Button>
      <Button
        disabled={!chosen.length}
        title="What is chosen leaves its group for good (D)"
        onClick={() => onDismiss(chosen)}
      >
        No copies
      </Button>
      <Button
        kind="main"
        disabled={agreeing < 1}
        title={`Of each of ${agreeing} groups whose labels agree, keep the largest picture and exclude the others`}
        onClick={() => onKeep(undefined)}
      >
        Keep one of each
      </Button>
    </div>
  );
}

function Known({ projectId, copies }: { projectId: number; copies: CopiesOf }) {
  return (
    <>
      {copies.groups ? `${plural(copies.groups, "group")} of copies` : "No copies left to settle"}
      {!!copies.differing && (
        <span className="text-wrong">, {copies.differing.toLocaleString("en")} under different labels</span>
      )}
      .
      {!!copies.repeated && (
        <span className="text-quiet">
          {" "}
          The very same file came more than once for {plural(copies.repeated, "picture")}
          {!!copies.repeated_differing && (
            <>
              ,{" "}
              <Link to={`/p/${projectId}/rows?sift=two-labels`} className="underline hover:no-underline">
                {copies.repeated_differing} under two labels
              </Link>
            </>
          )}
          .
        </span>
      )}
    </>
  );
}
