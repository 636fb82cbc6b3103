/** A run's export packs, each with its proof. */
import type { Job, Model } from "../../api/client";
import { useExports } from "../../api/runQueries";
import { isActive, jobWords } from "../../domain/jobs";
import { bytes, moment } from "../../domain/words";
import { buttonLook } from "../../parts/Button";
import { Digest } from "../../parts/Digest";
import { ProgressBar } from "../../parts/ProgressBar";
import { Failed } from "../../parts/States";

interface Proof {
  pictures: number;
  max_abs_difference: number;
  tolerance: number;
}

export function Packs({ model, jobs }: { model: Model; jobs: readonly Job[] }) {
  const packs = useExports(model.id);
  if (packs.isError) return <Failed error={packs.error} onRetry={() => void packs.refetch()} />;
  return (
    <ul className="mt-4" aria-label="Export packs">
      {packs.data?.map((pack) => {
        const proof = pack.proof as Proof | null;
        const job = jobs.find((entry) => entry.kind === "export" && entry.subject_id === pack.id);
        return (
          <li
            key={pack.id}
            className="border-t border-hairline py-3"
            data-testid="pack"
            data-state={pack.state}
          >
            <p className="flex justify-between gap-2 text-sm text-quiet">
              {moment(pack.created_at)}
              {pack.epoch !== null && `, epoch ${pack.epoch}`}
              {pack.calibrated && ", calibrated"}
              <Digest model={pack} />
            </p>
            {job && isActive(job) && (
              <div role="status">
                <p>{jobWords(job)}</p>
                <ProgressBar done={job.done} total={job.total} label={job.title} />
              </div>
            )}
            {pack.state === "failed" && <p className="text-wrong">{pack.error}</p>}
            {pack.state === "stopped" && <p className="text-quiet">Stopped by hand.</p>}
            {proof && (
              <>
                <p className="my-1" data-testid="proof">
                  Its script answered like the application on <b>{proof.pictures}</b> picture files; the
                  largest difference of any probability is{" "}
                  <b className="font-mono whitespace-nowrap">{proof.max_abs_difference.toExponential(1)}</b>{" "}
                  <span className="text-quiet">(allowed {proof.tolerance.toExponential(0)}).</span>
                </p>
                <a className={buttonLook()} href={`/api/exports/${pack.id}/file`} download>
                  Download, {bytes(pack.size_bytes ?? 0)}
                </a>
              </>
            )}
          </li>
        );
      })}
    </ul>
  );
}
