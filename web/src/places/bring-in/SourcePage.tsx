/** The ways in, each in a row of its own, and below them the sources that came by these ways before. */
import { useImports, useSources } from "../../api/queries";
import { usePlace } from "../../app/context";
import { useNotices } from "../../parts/Notices";
import { useDrop } from "../../parts/useDrop";
import { PlaceHead } from "../head/PlaceHead";
import { fromDrop } from "./bringIn";
import { Layouts } from "./Layouts";
import { PastImport } from "./PastImport";
import { ProjectWay } from "./ProjectWay";
import { SendingLine } from "./SendingLine";
import { useSending } from "./useSending";
import { BucketWay, CameraWay, ComputerWay, ServerWay } from "./Ways";

export function SourcePage() {
  const { project } = usePlace();
  const sources = useSources();
  const { sending, send, read, stop } = useSending(project.id);
  const { fail } = useNotices();
  const drop = useDrop((event) => {
    fromDrop(event.dataTransfer).then(send, fail);
  });
  const busy = !!sending;
  return (
    <section
      aria-label="Bring in pictures"
      className={`flex h-full flex-col ${drop.over ? "bg-choice-wash" : ""}`}
      {...drop.handlers}
    >
      <PlaceHead title="Bring in pictures">
        {sending ? (
          <div className="w-80">
            <SendingLine sending={sending} onStop={stop} />
          </div>
        ) : (
          <span className="text-quiet">Nothing is stored before you have seen what was understood.</span>
        )}
      </PlaceHead>
      <div className="min-h-0 flex-1 overflow-y-auto px-4 pb-6">
        <div className="mx-auto max-w-[1080px]">
          <ComputerWay busy={busy} onFiles={send} />
          <CameraWay busy={busy} onFiles={(shots) => send(shots, { name: "Camera" })} />
          <ServerWay allowed={!!sources.data?.server_folders} onRead={read} />
          <BucketWay address={sources.data?.bucket ?? undefined} onRead={read} />
          <ProjectWay projectId={project.id} onRead={read} />
          <PastImports projectId={project.id} />
          <Layouts />
        </div>
      </div>
    </section>
  );
}

function PastImports({ projectId }: { projectId: number }) {
  const { data: imports = [] } = useImports(projectId);
  if (!imports.length) return null;
  return (
    <>
      <h3 className="mt-6 mb-1 font-semibold">Brought in so far</h3>
      <ul aria-label="Imports">
        {imports.map((entry) => (
          <PastImport key={entry.id} entry={entry} />
        ))}
      </ul>
    </>
  );
}
