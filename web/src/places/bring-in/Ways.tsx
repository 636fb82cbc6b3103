/** The ways in besides a drop: each a line that says what it takes, with its buttons. */
import { useRef, useState } from "react";
import { Button } from "../../parts/Button";
import { type ChosenFile, fromChooser, type SourceOf } from "./bringIn";
import { CameraSource } from "./CameraSource";
import { ServerFolderSource } from "./ServerFolderSource";
import { Way } from "./Way";

const ARCHIVES = ".zip,.tar,.tgz,.gz,.tbz2,.bz2,.txz,.xz,application/zip,application/x-tar";

interface SendingProps {
  /** True while files are being sent: then no others can be. */
  busy: boolean;
  onFiles: (files: readonly ChosenFile[]) => void;
}

export function ComputerWay(props: SendingProps) {
  return (
    <Way
      name="From this computer"
      about="Drop files, folders or an archive anywhere on this page, or choose them. Folders, file names or a table beside the pictures may say their classes."
    >
      <Chooser label="Folder" words="Choose a folder" main extra={{ webkitdirectory: "" }} {...props} />
      <Chooser label="Archive" words="Choose a zip or tar" extra={{ accept: ARCHIVES }} {...props} />
      <Chooser label="Files" words="Choose files" extra={{ multiple: true }} {...props} />
    </Way>
  );
}

export function CameraWay({ busy, onFiles }: SendingProps) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Way name="Camera" about="Take shots one by one or at an interval, under a class if you know it.">
        {open ? (
          <Button onClick={() => setOpen(false)}>Put the camera away</Button>
        ) : (
          <Button disabled={busy} onClick={() => setOpen(true)}>
            Use the camera
          </Button>
        )}
      </Way>
      {open && <CameraSource busy={busy} onShots={onFiles} />}
    </>
  );
}

interface ReadingProps {
  onRead: (source: SourceOf) => void;
}

export function ServerWay({ allowed, onRead }: ReadingProps & { allowed: boolean }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Way
        name="Folder on the server"
        about={
          allowed
            ? "A folder or archive that lies on the machine that runs Vast Orchard; it is read where it is."
            : "Not allowed yet: the setting VAST_ORCHARD_IMPORT_ROOTS names the folders that may be read."
        }
      >
        <Button disabled={!allowed} onClick={() => setOpen(!open)}>
          {open ? "Close the list" : "Browse the server"}
        </Button>
      </Way>
      {open && <ServerFolderSource onRead={onRead} />}
    </>
  );
}

export function BucketWay({ address, onRead }: ReadingProps & { address: string | undefined }) {
  const [location, setLocation] = useState("");
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        onRead({ kind: "bucket", location, name: "" });
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

interface ChooserProps extends SendingProps {
  label: string;
  words: string;
  main?: boolean;
  extra: Record<string, string | boolean>;
}

function Chooser(props: ChooserProps) {
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
