/** Where what is tried comes from: a chooser, a folder, the web, the camera, what is pasted. */
import { useEffect, useRef, useState } from "react";
import type { Model } from "../../api/client";
import { ActionMenu } from "../../parts/ActionMenu";
import { Button, buttonLook } from "../../parts/Button";
import { NameSheet } from "../../parts/NameSheet";
import { useNotices } from "../../parts/Notices";
import { takesText } from "../../parts/typing";
import { fromChooser } from "../bring-in/bringIn";
import { isWebAddress, type Picked } from "./picking";
import { BucketSheet, ProjectSheet } from "./TrySheets";
import { fromWeb } from "./useTrying";

export function Chooser(props: {
  model: Model;
  first: boolean;
  busy: boolean;
  onFiles: (files: readonly Picked[]) => Promise<void>;
  live: boolean;
  onLive: (live: boolean) => void;
}) {
  const chooser = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const [asked, setAsked] = useState<"address" | "bucket" | "project">();
  const close = () => setAsked(undefined);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key === "o") {
        event.preventDefault();
        chooser.current?.click();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  usePasted(props.busy ? undefined : props.onFiles);
  return (
    <>
      <Button
        kind={props.first ? "main" : "plain"}
        disabled={props.busy}
        onClick={() => chooser.current?.click()}
      >
        Choose pictures
      </Button>
      <Button disabled={props.busy} aria-pressed={props.live} onClick={() => props.onLive(!props.live)}>
        {props.live ? "Close the camera" : "Camera"}
      </Button>
      <ActionMenu
        words="From elsewhere"
        label="From elsewhere"
        className={buttonLook()}
        anchor="bottom start"
        actions={[
          { words: "A folder of this computer", act: () => folder.current?.click() },
          { words: "A web address", act: () => setAsked("address") },
          { words: "A bucket", act: () => setAsked("bucket") },
          { words: "Pictures of this project", act: () => setAsked("project") },
        ]}
      />
      {asked === "bucket" && <BucketSheet onClose={close} onFiles={props.onFiles} />}
      {asked === "project" && <ProjectSheet model={props.model} onClose={close} onFiles={props.onFiles} />}
      {asked === "address" && (
        <NameSheet
          title="A picture on the web"
          label="Its address"
          action="Try it"
          most={2000}
          onClose={close}
          onName={async (address) => void props.onFiles([await fromWeb(address)])}
        />
      )}
      <input
        ref={folder}
        type="file"
        // Not among the attributes that React knows by type.
        {...{ webkitdirectory: "" }}
        className="sr-only"
        tabIndex={-1}
        aria-label="Folder to try"
        onChange={(event) => {
          void props.onFiles(fromChooser(event.target.files ?? new DataTransfer().files));
          event.target.value = "";
        }}
      />
      <input
        ref={chooser}
        type="file"
        multiple
        accept="image/*,.zip,.csv,.tsv"
        className="sr-only"
        tabIndex={-1}
        aria-label="Pictures to try"
        onChange={(event) => {
          void props.onFiles(fromChooser(event.target.files ?? new DataTransfer().files));
          event.target.value = "";
        }}
      />
    </>
  );
}

/** What is pasted anywhere but into a field: pictures, or the address of one. */
function usePasted(onFiles: ((files: readonly Picked[]) => Promise<void>) | undefined) {
  const { fail } = useNotices();
  useEffect(() => {
    const onPaste = (event: ClipboardEvent) => {
      if (!onFiles || !event.clipboardData || takesText(event.target)) return;
      const text = event.clipboardData.getData("text/plain");
      if (event.clipboardData.files.length) void onFiles(fromChooser(event.clipboardData.files));
      else if (isWebAddress(text))
        fromWeb(text)
          .then((picked) => onFiles([picked]))
          .catch(fail);
    };
    window.addEventListener("paste", onPaste);
    return () => window.removeEventListener("paste", onPaste);
  }, [onFiles, fail]);
}
