/** A whole page that takes pictures: dropped or pasted anywhere, or chosen; fit for a finger. */
import { type ReactNode, useEffect, useRef } from "react";
import { Button } from "./Button";
import { useDrop } from "./useDrop";

/** Large enough for a finger. */
export const TOUCH = "min-h-11 px-4";

type OnFiles = (files: readonly File[]) => void;

export function PictureArea({ onFiles, children }: { onFiles: OnFiles; children: ReactNode }) {
  const { over, handlers } = useDrop((event) => onFiles([...event.dataTransfer.files]));
  useEffect(() => {
    const onPaste = (event: ClipboardEvent) => {
      const files = [...(event.clipboardData?.files ?? [])];
      if (files.length) onFiles(files);
    };
    window.addEventListener("paste", onPaste);
    return () => window.removeEventListener("paste", onPaste);
  }, [onFiles]);
  return (
    <section aria-label="The model" className={`min-h-dvh ${over ? "bg-choice-wash" : ""}`} {...handlers}>
      {children}
    </section>
  );
}

export function ChoosePictures({ onFiles, busy = false }: { onFiles: OnFiles; busy?: boolean }) {
  const chooser = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button kind="main" className={TOUCH} disabled={busy} onClick={() => chooser.current?.click()}>
        {busy ? "Being answered …" : "Choose pictures"}
      </Button>
      <input
        ref={chooser}
        type="file"
        accept="image/*"
        multiple
        hidden
        data-testid="files"
        onChange={({ currentTarget }) => {
          onFiles([...(currentTarget.files ?? [])]);
          currentTarget.value = "";
        }}
      />
    </>
  );
}
