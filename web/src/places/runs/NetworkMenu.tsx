/** A network out as a file and in from one, and out of the list. */
import { useRef } from "react";
import { freeName, type Part } from "../../domain/network";
import { ActionMenu } from "../../parts/ActionMenu";
import { buttonLook } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { download } from "../../parts/standaloneSvg";
import type { NetworkDraft } from "./useNetworkDraft";

interface Props {
  draft: NetworkDraft;
  parts: readonly Part[];
  name: string;
  taken: readonly string[];
}

export function NetworkMenu({ draft, parts, name, taken }: Props) {
  const { fail } = useNotices();
  const field = useRef<HTMLInputElement>(null);
  const read = async (file: File | undefined) => {
    if (!file) return;
    try {
      const found = networkOf(await file.text(), file.name);
      await draft.keepAs(freeName(found.name, taken), found.layers);
    } catch (error) {
      fail(error);
    }
  };
  return (
    <>
      <ActionMenu
        words="More"
        label="More for this network"
        className={buttonLook("bare")}
        anchor="bottom end"
        actions={[
          { words: "Save as a JSON file", act: () => save(name, parts) },
          { words: "Read a JSON file", act: () => field.current?.click() },
          ...(draft.own
            ? [{ words: "Forget this name", act: () => void draft.forget().catch(fail), danger: true }]
            : []),
        ]}
      />
      <input
        ref={field}
        type="file"
        accept=".json,application/json"
        aria-label="A network as a JSON file"
        className="hidden"
        onChange={(event) => {
          void read(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
    </>
  );
}

/** A network from a file's text; the server says what is wrong inside of its list. */
function networkOf(text: string, file: string): { name: string; layers: readonly Part[] } {
  let data: unknown;
  try {
    data = JSON.parse(text);
  } catch {
    throw new Error(`${file} is not JSON. Choose a file that was saved here, or written by its schema.`);
  }
  const { name, layers } = Object(data) as { name?: unknown; layers?: unknown };
  if (!Array.isArray(layers)) throw new Error(`${file} has no list of layers. Choose one with "layers".`);
  const plain = file.replace(/\.json$/i, "");
  const wanted = (typeof name === "string" && name.trim()) || plain || "network";
  return { name: wanted.replace(/, version \d+$/, ""), layers };
}

function save(name: string, layers: readonly Part[]) {
  const text = JSON.stringify({ version: 2, name, layers }, undefined, 1);
  download(new Blob([text], { type: "application/json" }), `${name}.json`);
}
