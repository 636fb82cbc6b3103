/** What stands where the field would be: reading, failed, a mistake in the Sift, nothing yet, nothing found. */
import type { UseQueryResult } from "@tanstack/react-query";
import type { Job, Problem } from "../../api/client";
import type { FieldData } from "../../api/queries";
import { failureOf } from "../../domain/failure";
import { ALL_FOUND } from "../../domain/findings";
import { jobWords } from "../../domain/jobs";
import { Button } from "../../parts/Button";
import { ProgressBar } from "../../parts/ProgressBar";
import { Empty, Failed, Reading } from "../../parts/States";

interface Props {
  field: UseQueryResult<FieldData, Problem>;
  /** What is on show, perhaps from before a mistake. */
  data: FieldData | undefined;
  sift: string;
  /** What stands beside the field says already why it is empty. */
  hushed: boolean;
  arriving: Job | undefined;
  onShowAll: () => void;
  onBringIn: () => void;
}

export function FieldStates({ field, data, sift, hushed, arriving, onShowAll, onBringIn }: Props) {
  const total = data?.total ?? 0;
  const failure = failureOf({ data, error: field.error });
  const nothing = data !== undefined && total === 0 && !sift;
  return (
    <>
      {field.isPending && <Reading what="pictures" />}
      {failure && !failure.place && <Failed error={failure} onRetry={() => void field.refetch()} />}
      {field.error?.place && !data && (
        <Empty title="Nothing is shown, because the Sift has a mistake">
          <p className="mb-4">It is marked in the line above, with how to mend it.</p>
          <Button kind="main" onClick={onShowAll}>
            Show all
          </Button>
        </Empty>
      )}
      {nothing && arriving && <Arriving job={arriving} />}
      {nothing && !arriving && (
        <Empty title="No pictures yet">
          <p className="mb-4">
            Drop files, a folder, a zip or a tar here. You see which classes were understood, and what is
            skipped, before anything is stored; nothing is added twice.
          </p>
          <Button kind="main" onClick={onBringIn}>
            Bring in pictures
          </Button>
        </Empty>
      )}
      {data && total === 0 && sift && !field.isError && !hushed && (
        <Empty title={NOTHING_LEFT[sift]?.title ?? "The Sift lets no picture through"}>
          <p className="mb-4">
            {NOTHING_LEFT[sift]?.words ?? (
              <>
                Nothing is <code className="font-mono">{sift}</code>.
              </>
            )}
          </p>
          <Button kind="main" onClick={onShowAll}>
            Show all
          </Button>
        </Empty>
      )}
    </>
  );
}

const NOTHING_LEFT: Record<string, { title: string; words: string }> = {
  copies: {
    title: "No copies left to settle",
    words: "After each import new pictures are compared with all others.",
  },
  [ALL_FOUND]: {
    title: "No picture has anything to settle",
    words: "Once somebody has looked, pictures that come in later are looked at by themselves.",
  },
};

function Arriving({ job }: { job: Job }) {
  return (
    <Empty title={job.title}>
      <p className="mb-2">{jobWords(job)}</p>
      <div className="mx-auto flex w-80">
        <ProgressBar done={job.done} total={job.total} label={job.title} />
      </div>
    </Empty>
  );
}
