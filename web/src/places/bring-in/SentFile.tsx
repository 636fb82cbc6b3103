/** A button that sends one file of this computer, to be read by the server. */
import { useRef, useState } from "react";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { upload } from "./bringIn";

interface Props {
  /** Read aloud. */
  label: string;
  words: string;
  accept: string;
  main?: boolean;
  onSent: (upload: string, name: string) => void;
}

export function SentFile({ label, words, accept, main = false, onSent }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const { fail } = useNotices();
  const [busy, setBusy] = useState(false);
  const send = async (file: File | undefined) => {
    if (!file) return;
    setBusy(true);
    try {
      onSent(await upload([{ path: file.name, file }], () => {}, new AbortController().signal), file.name);
    } catch (error) {
      fail(error);
    }
    setBusy(false);
  };
  return (
    <>
      <input
        ref={input}
        type="file"
        accept={accept}
        aria-label={label}
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => {
          void send(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
      <Button kind={main ? "main" : "plain"} disabled={busy} onClick={() => input.current?.click()}>
        {busy ? "Being sent …" : words}
      </Button>
    </>
  );
}
