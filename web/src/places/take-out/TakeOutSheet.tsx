/** Taking out: the collection or what is chosen of it as a zip of class folders, or the whole project as an archive. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, type Disk, need, type Parcel, type Run, type Split } from "../../api/client";
import { useDisk, useParcels } from "../../api/queries";
import { bytes, plural } from "../../domain/words";
import { Button, buttonLook } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { useNotices } from "../../parts/Notices";
import { Sheet } from "../../parts/Sheet";

interface Props {
  projectId: number;
  pictures: number;
  /** What the Sift lets through, if there is one. */
  sifted: { sift: string; run: number | undefined; count: number } | undefined;
  chosen: readonly number[];
  split: Split | undefined;
  /** Whose answers can go along. */
  run: Run | undefined;
  onClose: () => void;
}

type What = "collection" | "sifted" | "chosen" | "project";

/** What a zip of class folders is made with. */
interface CollectionForm {
  by_set: boolean;
  creator: string;
  licence: string;
  /** The table has what the run said. */
  answers: boolean;
}

const FIELD = "rounded-control w-full border border-edge bg-surface px-2 py-1";

export function TakeOutSheet({ projectId, pictures, sifted, chosen, split, run, onClose }: Props) {
  const parcels = useParcels(projectId);
  const disk = useDisk(projectId);
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [what, setWhat] = useState<What>(chosen.length ? "chosen" : sifted ? "sifted" : "collection");
  const [form, setForm] = useState<CollectionForm>({
    by_set: false,
    creator: "",
    licence: "",
    answers: false,
  });
  const pack = () => {
    const { answers, ...plain } = form;
    const body = {
      ...plain,
      said_by: answers ? (run?.id ?? null) : null,
      kind: what === "project" ? ("project" as const) : ("collection" as const),
      split: split?.id ?? null,
      picture_ids: what === "chosen" ? [...chosen] : null,
      sift: what === "sifted" ? (sifted?.sift ?? null) : null,
      run: sifted?.run ?? null,
    };
    const params = { path: { project_id: projectId } };
    return need(client.POST("/api/projects/{project_id}/parcels", { params, body }))
      .then(() => queries.invalidateQueries({ queryKey: ["parcels"] }))
      .catch(fail);
  };
  return (
    <Sheet title="Take out" open wide onClose={onClose}>
      <Choice<What>
        label="Take out"
        hideLabel
        value={what}
        onChange={setWhat}
        options={[
          { value: "collection", label: `all ${plural(pictures, "picture")}` },
          ...(sifted
            ? [{ value: "sifted" as const, label: `the ${sifted.count.toLocaleString("en")} in the Sift` }]
            : []),
          ...(chosen.length ? [{ value: "chosen" as const, label: `the ${chosen.length} chosen` }] : []),
          { value: "project", label: "the whole project" },
        ]}
      />
      {what === "project" ? (
        <p className="my-3 text-quiet">
          One archive file with pictures, labels, history, splits, runs and models.{" "}
          <em>Bring back a project</em> on the list of projects makes the same project of it, here or on
          another machine.
        </p>
      ) : (
        <CollectionFields
          form={form}
          split={split}
          run={run}
          onChange={(change) => setForm({ ...form, ...change })}
        />
      )}
      <Button kind="main" disabled={what !== "project" && !pictures} onClick={() => void pack()}>
        Pack it
      </Button>
      <ul className="mt-4" aria-label="Parcels">
        {parcels.data?.map((parcel) => (
          <ParcelLine key={parcel.id} parcel={parcel} />
        ))}
      </ul>
      {disk.data && <DiskUse use={disk.data} />}
    </Sheet>
  );
}

interface CollectionFieldsProps {
  form: CollectionForm;
  split: Split | undefined;
  run: Run | undefined;
  onChange: (change: Partial<CollectionForm>) => void;
}

function CollectionFields({ form, split, run, onChange }: CollectionFieldsProps) {
  return (
    <>
      <p className="my-3 text-quiet">
        A zip with a folder for each class, a table of every fact (pictures.csv) and Croissant metadata.
        Brought in again, it gives the same pictures, labels, sets, groups and notes.
      </p>
      <div className="mb-3 grid grid-cols-2 gap-x-4 gap-y-2">
        <label className="col-span-2 flex items-center gap-2">
          <input
            type="checkbox"
            checked={form.by_set}
            onChange={(event) => onChange({ by_set: event.target.checked })}
          />
          Folders for training, validation and test above the classes
          <span className="text-quiet">
            {split ? `by split ${split.number}` : "as the sources named them"}
          </span>
        </label>
        {run?.model && (
          <label className="col-span-2 flex items-center gap-2">
            <input
              type="checkbox"
              checked={form.answers}
              onChange={(event) => onChange({ answers: event.target.checked })}
            />
            What run {run.number} said, in the table
            <span className="text-quiet">class, probability, runner-up; nothing of the test set</span>
          </label>
        )}
        <label>
          <span className="text-sm">Creator, for the metadata</span>
          <input
            className={FIELD}
            value={form.creator}
            onChange={(event) => onChange({ creator: event.target.value })}
          />
        </label>
        <label>
          <span className="text-sm">Licence, a name or an address</span>
          <input
            className={FIELD}
            value={form.licence}
            onChange={(event) => onChange({ licence: event.target.value })}
          />
        </label>
      </div>
    </>
  );
}

function DiskUse({ use }: { use: Disk }) {
  return (
    <p className="mt-3 border-t border-hairline pt-2 text-sm text-quiet" data-testid="disk">
      On the disk: pictures {bytes(use.pictures)}
      {use.shared ? ` (${bytes(use.shared)} shared with other projects)` : ""}, thumbnails{" "}
      {bytes(use.thumbnails)}, bin {bytes(use.bin)}, runs {bytes(use.runs)}, export packs {bytes(use.exports)}
      , parcels {bytes(use.parcels)}, sources and lists of files {bytes(use.sources)}.
    </p>
  );
}

function ParcelLine({ parcel }: { parcel: Parcel }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const forget = () =>
    need(client.DELETE("/api/parcels/{parcel_id}", { params: { path: { parcel_id: parcel.id } } }))
      .catch(fail)
      .finally(() => queries.invalidateQueries({ queryKey: ["parcels"] }));
  const ready = parcel.size_bytes !== null;
  const active = parcel.state === "waiting" || parcel.state === "running";
  return (
    <li className="flex items-center gap-2 border-t border-hairline py-1.5" data-testid="parcel">
      <span className="min-w-0 flex-1 truncate">
        {parcel.name}{" "}
        <span className={parcel.state === "failed" ? "text-wrong" : "text-quiet"}>
          {ready
            ? `${plural(parcel.pictures ?? 0, "picture")}, ${bytes(parcel.size_bytes ?? 0)}`
            : active
              ? "being packed, see the tray"
              : (parcel.error ?? "stopped")}
        </span>
      </span>
      {ready && (
        <a href={`/api/parcels/${parcel.id}/file`} className={buttonLook()} download>
          Download
        </a>
      )}
      {!active && (
        <Button kind="bare" onClick={() => void forget()}>
          Remove
        </Button>
      )}
    </li>
  );
}
