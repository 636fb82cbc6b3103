/** The ways in, each in a row of its own, and below them the sources that came by these ways before. */
import { type DragEvent, type ReactNode, useRef, useState } from "react";
import { useImports, useSources } from "../../api/queries";
import { usePlace } from "../../app/context";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { ProgressBar } from "../../parts/ProgressBar";
import { PlaceHead } from "../head/PlaceHead";
import { fromChooser, fromDrop } from "./bringIn";
import { CameraSource } from "./CameraSource";
import { PastImport } from "./PastImport";
import { ServerFolderSource } from "./ServerFolderSource";
import { useSending } from "./useSending";

const ARCHIVES = ".zip,.tar,.tgz,.gz,.tbz2,.bz2,.txz,.xz,application/zip,application/x-tar";

export function SourcePage() {
  const { project } = usePlace();
  const imports = useImports(project.id);
  const sources = useSources();
  const { sending, send, read, stop } = useSending(project.id);
  const { fail } = useNotices();
  const [camera, setCamera] = useState(false);
  const [browsing, setBrowsing] = useState(false);
  const [over, setOver] = useState(false);
  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    fromDrop(event.dataTransfer).then(send, fail);
  };
  return (
    <section
      aria-label="Bring in pictures"
      className={`flex h-full flex-col ${over ? "bg-choice-wash" : ""}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setOver(false)}
      onDrop={onDrop}
    >
      <PlaceHead title="Bring in pictures">
        {sending ? (
          <div className="flex w-80 items-center gap-2" role="status">
            <span className="whitespace-nowrap">
              Sending {sending.sent} of {sending.total}
            </span>
            <ProgressBar done={sending.sent} total={sending.total} label="Sending files" />
            <Button onClick={stop}>Stop</Button>
          </div>
        ) : (
          <span className="text-quiet">Nothing is stored before you have seen what was understood.</span>
        )}
      </PlaceHead>
      <div className="min-h-0 flex-1 overflow-y-auto px-4 pb-6">
        <div className="mx-auto max-w-[1080px]">
          <Way
            name="From this computer"
            about="Drop files, folders or an archive anywhere on this page, or choose them. Folders, file names or a table beside the pictures may say their classes."
          >
            <Chooser
              label="Folder"
              words="Choose a folder"
              main
              busy={!!sending}
              extra={{ webkitdirectory: "" }}
              onFiles={send}
            />
            <Chooser
              label="Archive"
              words="Choose a zip or tar"
              busy={!!sending}
              extra={{ accept: ARCHIVES }}
              onFiles={send}
            />
            <Chooser
              label="Files"
              words="Choose files"
              busy={!!sending}
              extra={{ multiple: true }}
              onFiles={send}
            />
          </Way>
          <Way name="Camera" about="Take shots one by one or at an interval, under a class if you know it.">
            {camera ? (
              <Button onClick={() => setCamera(false)}>Put the camera away</Button>
            ) : (
              <Button disabled={!!sending} onClick={() => setCamera(true)}>
                Use the camera
              </Button>
            )}
          </Way>
          {camera && <CameraSource busy={!!sending} onShots={(files) => send(files, { name: "Camera" })} />}
          <Way
            name="Folder on the server"
            about={
              sources.data?.server_folders
                ? "A folder or archive that lies on the machine that runs Vast Orchard; it is read where it is."
                : "Not allowed yet: the setting VAST_ORCHARD_IMPORT_ROOTS names the folders that may be read."
            }
          >
            <Button disabled={!sources.data?.server_folders} onClick={() => setBrowsing(!browsing)}>
              {browsing ? "Close the list" : "Browse the server"}
            </Button>
          </Way>
          {browsing && <ServerFolderSource onRead={read} />}
          <BucketWay address={sources.data?.bucket ?? undefined} onRead={read} />
          {imports.data && imports.data.length > 0 && (
            <>
              <h3 className="mt-6 mb-1 font-semibold">Brought in so far</h3>
              <ul aria-label="Imports">
                {imports.data.map((entry) => (
                  <PastImport key={entry.id} entry={entry} />
                ))}
              </ul>
            </>
          )}
        </div>
      </div>
    </section>
  );
}

function Way({ name, about, children }: { name: string; about: string; children: ReactNode }) {
  return (
    <div className="grid grid-cols-[170px_1fr_auto] items-center gap-4 border-b border-hairline py-3">
      <h3 className="font-semibold">{name}</h3>
      <p className="text-quiet">{about}</p>
      <div className="flex gap-2">{children}</div>
    </div>
  );
}

function Chooser(props: {
  label: string;
  words: string;
  main?: boolean;
  busy: boolean;
  extra: Record<string, string | boolean>;
  onFiles: (files: ReturnType<typeof fromChooser>) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button
        kind={props.main ? "main" : "plain"}
        disabled={props.busy}
        onClick={() => input.current?.click()}
      >
        {props.words}
      </Button>
      <input
        ref={input}
        type="file"
        className="sr-only"
        aria-label={props.label}
        tabIndex={-1}
        {...props.extra}
        onChange={(event) => {
          if (event.target.files?.length) props.onFiles(fromChooser(event.target.files));
          event.target.value = "";
        }}
      />
    </>
  );
}

function BucketWay({
  address,
  onRead,
}: {
  address: string | undefined;
  onRead: ReturnType<typeof useSending>["read"];
}) {
  const [location, setLocation] = useState("");
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        void onRead({ kind: "bucket", location, name: "" });
      }}
    >
      <Way
        name="Bucket"
        about={
          address
            ? `An S3-compatible service at ${address}: the bucket's name, and if you like the beginning of the objects' names after a slash.`
            : "No service is set: VAST_ORCHARD_BUCKET_URL and its key name an S3-compatible one."
        }
      >
        <input
          aria-label="Bucket and prefix"
          placeholder="bucket/prefix"
          value={location}
          disabled={!address}
          onChange={(event) => setLocation(event.target.value)}
          className="rounded-control w-52 border border-edge bg-surface px-2 py-1 font-mono disabled:opacity-45"
        />
        <Button type="submit" disabled={!address || !location.trim()}>
          Read the bucket
        </Button>
      </Way>
    </form>
  );
}
