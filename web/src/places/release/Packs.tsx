/** What was made of a model to hand over, each with its proof. */
import type { Export, Form, Job, Model } from "../../api/client";
import { useExports } from "../../api/runQueries";
import { differenceWords, type Proof, proofWords, speedWords } from "../../domain/handOver";
import { isActive, jobWords } from "../../domain/jobs";
import { bytes, moment } from "../../domain/words";
import { buttonLook } from "../../parts/Button";
import { Digest } from "../../parts/Digest";
import { ProgressBar } from "../../parts/ProgressBar";
import { Failed } from "../../parts/States";

interface Props {
  model: Model;
  forms: readonly Form[];
  jobs: readonly Job[];
}

export function Packs({ model, forms, jobs }: Props) {
  const packs = useExports(model.id);
  if (packs.isError) return <Failed error={packs.error} onRetry={() => void packs.refetch()} />;
  return (
    <ul className="mt-3" aria-label="Made to hand over">
      {packs.data?.map((pack) => (
        <li
          key={pack.id}
          className="border-t border-hairline py-2"
          data-testid="pack"
          data-form={pack.form}
          data-state={pack.state}
        >
          <p className="flex items-baseline justify-between gap-2 text-sm text-quiet">
            <b className="text-base text-ink">
              {forms.find((form) => form.form === pack.form)?.title ?? pack.form}
            </b>
            <span>
              {moment(pack.created_at)}
              {pack.epoch ? `, epoch ${pack.epoch}` : ""}
              {pack.calibrated && ", calibrated"}
            </span>
          </p>
          <Made
            pack={pack}
            job={jobs.find((entry) => entry.kind === "export" && entry.subject_id === pack.id)}
          />
        </li>
      ))}
    </ul>
  );
}

function Made({ pack, job }: { pack: Export; job: Job | undefined }) {
  const proof = pack.proof as Proof | null;
  if (job && isActive(job)) {
    return (
      <div role="status">
        <p>{jobWords(job)}</p>
        <ProgressBar done={job.done} total={job.total} label={job.title} />
      </div>
    );
  }
  if (pack.state === "failed") return <p className="text-wrong">{pack.error}</p>;
  if (pack.state === "stopped") return <p className="text-quiet">Stopped by hand.</p>;
  if (!proof) return null;
  return (
    <>
      <p data-testid="proof">
        {proofWords(proof)} <span className="text-quiet">{differenceWords(proof)}</span>
      </p>
      <p className="mt-1 flex items-center justify-between gap-2">
        <a className={buttonLook()} href={`/api/exports/${pack.id}/file`} download>
          Download, {bytes(pack.size_bytes ?? 0)}
        </a>
        <span className="text-sm text-quiet">
          {speedWords(proof.pictures_per_s)} <Digest model={pack} />
        </span>
      </p>
    </>
  );
}
