/** Choosing what to bring in, the way of the files to the server, and what past imports found. */
import { useRef } from "react";
import type { Import } from "../../api/client";
import { useImports } from "../../api/queries";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { ProgressBar } from "../../parts/ProgressBar";
import { Sheet } from "../../parts/Sheet";
import { type ChosenFile, fromChooser } from "./bringIn";

export interface Sending {
  readonly total: number;
  readonly sent: number;
}

interface Props {
  projectId: number;
  sending: Sending | undefined;
  onFiles: (files: ChosenFile[]) => void;
  onStop: () => void;
  onClose: () => void;
}

interface Report {
  files: number;
  added: number;
  known: number;
  repeated: number;
  skipped: { path: string; reason: string }[];
  skipped_count: number;
  wrappers: string[];
  notes: string[];
}

export function BringInSheet({ projectId, sending, onFiles, onStop, onClose }: Props) {
  const imports = useImports(projectId);
  const zip = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const take = (input: HTMLInputElement | null) => {
    if (input?.files?.length) onFiles(fromChooser(input.files));
    if (input) input.value = "";
  };
  return (
    <Sheet title="Bring in pictures" open wide onClose={onClose}>
      <p className="mb-3 text-quiet">
        A zip, a tar or a folder with one folder for each class; training, validation and test folders above
        them are understood. Pictures that are here already are not added again. You can also drop either on
        the field.
      </p>
      <div className="mb-4 flex items-center gap-2">
        <Button kind="main" disabled={!!sending} onClick={() => zip.current?.click()}>
          Choose a zip or tar
        </Button>
        <Button disabled={!!sending} onClick={() => folder.current?.click()}>
          Choose a folder
        </Button>
        <input
          ref={zip}
          type="file"
          accept=".zip,.tar,.tgz,.gz,.tbz2,.bz2,.txz,.xz,application/zip,application/x-tar"
          className="sr-only"
          aria-label="Archive"
          tabIndex={-1}
          onChange={() => take(zip.current)}
        />
        <input
          ref={folder}
          type="file"
          multiple
          className="sr-only"
          aria-label="Folder"
          tabIndex={-1}
          {...{ webkitdirectory: "" }}
          onChange={() => take(folder.current)}
        />
        {sending && (
          <div className="flex flex-1 items-center gap-2" role="status">
            <span className="whitespace-nowrap">
              Sending {sending.sent} of {sending.total}
            </span>
            <ProgressBar done={sending.sent} total={sending.total} label="Sending files" />
            <Button onClick={onStop}>Stop</Button>
          </div>
        )}
      </div>
      {imports.data?.map((entry) => (
        <ImportEntry key={entry.id} entry={entry} />
      ))}
    </Sheet>
  );
}

function ImportEntry({ entry }: { entry: Import }) {
  const report = entry.report as Report | null;
  return (
    <section className="border-t border-hairline py-2" data-testid="import-report">
      <h3 className="font-semibold">
        {entry.source_name}{" "}
        <span className="font-normal text-quiet">· {new Date(entry.created_at).toLocaleString("en-GB")}</span>
      </h3>
      {!report && (
        <p className="text-quiet">Nothing was brought in, or it is still under way: see the tray.</p>
      )}
      {report && (
        <>
          <p>
            {plural(report.files, "file")} read: {plural(report.added, "new picture")}, {report.known} here
            already, {report.repeated} repeated within it, {report.skipped_count} skipped.
          </p>
          {report.wrappers.length > 0 && (
            <p className="text-quiet">Seen through: {report.wrappers.join(" / ")}, which holds everything.</p>
          )}
          {report.notes.map((note) => (
            <p key={note} className="text-quiet">
              {note}
            </p>
          ))}
          {report.skipped.length > 0 && (
            <details className="mt-1">
              <summary className="cursor-pointer">What was skipped, and why</summary>
              <ul className="mt-1 text-sm">
                {report.skipped.map((skip) => (
                  <li key={skip.path} className="py-0.5">
                    <span className="font-mono wrap-anywhere">{skip.path}</span>{" "}
                    <span className="text-quiet">{skip.reason}</span>
                  </li>
                ))}
              </ul>
            </details>
          )}
        </>
      )}
    </section>
  );
}
