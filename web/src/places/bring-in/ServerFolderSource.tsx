/** A walk through the allowed folders of the server's machine. */
import { useState } from "react";
import { asProblemOf, type ServerFolder } from "../../api/client";
import { useServerFolder } from "../../api/queries";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import type { SourceOf } from "./bringIn";

export function ServerFolderSource({ onRead }: { onRead: (source: SourceOf) => void }) {
  const [path, setPath] = useState("");
  const folder = useServerFolder(path);
  const read = (location: string) =>
    onRead({ kind: "folder", location, name: location.split("/").filter(Boolean).pop() ?? location });
  if (folder.isError) {
    const problem = asProblemOf(folder.error);
    return (
      <p role="alert" className="border-b border-hairline py-2 pl-[186px] text-wrong">
        {problem.what} {problem.mend}{" "}
        <Button kind="bare" onClick={() => setPath("")}>
          Start again
        </Button>
      </p>
    );
  }
  const here = folder.data;
  if (!here) return <p className="py-2 pl-[186px] text-quiet">Reading the folder …</p>;
  const below = (name: string) => (here.path ? `${here.path}/${name}` : name);
  return (
    <div className="border-b border-hairline py-2 pl-[186px]" data-testid="server-folder">
      <div className="mb-1 flex items-center gap-2">
        <span className="min-w-0 flex-1 truncate font-mono text-sm" title={here.path}>
          {here.path || "Allowed folders"}
        </span>
        {here.path && (
          <>
            <Button kind="bare" onClick={() => setPath("")}>
              To the top
            </Button>
            <Button kind="main" onClick={() => read(here.path)}>
              Read this folder
            </Button>
          </>
        )}
      </div>
      <Entries here={here} onOpen={(name) => setPath(below(name))} onRead={(name) => read(below(name))} />
      {here.path && (
        <p className="mt-1 text-sm text-quiet">
          {plural(here.folders.length, "folder")}, {plural(here.files, "file")} here.
        </p>
      )}
    </div>
  );
}

interface EntriesProps {
  here: ServerFolder;
  onOpen: (folder: string) => void;
  onRead: (archive: string) => void;
}

function Entries({ here, onOpen, onRead }: EntriesProps) {
  return (
    <ul className="max-h-56 overflow-y-auto border-t border-hairline">
      {here.folders.map((name) => (
        <li key={name} className="flex items-center border-b border-hairline">
          <button
            type="button"
            className="min-w-0 flex-1 cursor-pointer truncate px-1 py-1 text-left hover:bg-sunken"
            onClick={() => onOpen(name)}
          >
            {name}/
          </button>
        </li>
      ))}
      {here.archives.map((name) => (
        <li key={name} className="flex items-center border-b border-hairline">
          <span className="min-w-0 flex-1 truncate px-1 py-1">{name}</span>
          <Button kind="bare" onClick={() => onRead(name)}>
            Read
          </Button>
        </li>
      ))}
    </ul>
  );
}
