/** What is asked about a project of the list: a name, and whether it may be removed for good. */
import type { Project } from "../api/client";
import { plural } from "../domain/words";
import { Button } from "../parts/Button";
import { NameSheet } from "../parts/NameSheet";
import { Sheet } from "../parts/Sheet";
import type { ProjectActions } from "./useProjects";

export type Asked = { kind: "new" } | { kind: "rename" | "remove"; project: Project } | undefined;

export function ProjectSheets(props: { asked: Asked; actions: ProjectActions; onClose: () => void }) {
  const { asked, actions, onClose } = props;
  switch (asked?.kind) {
    case "new":
      return (
        <NameSheet
          title="New project"
          label="Name, for example what the pictures show"
          action="Make project"
          onClose={onClose}
          onName={actions.create}
        />
      );
    case "rename":
      return (
        <NameSheet
          title={`Rename ${asked.project.name}`}
          label="New name"
          action="Rename"
          initial={asked.project.name}
          onClose={onClose}
          onName={(name) => actions.rename(asked.project, name)}
        />
      );
    case "remove":
      return (
        <RemoveSheet
          project={asked.project}
          onClose={onClose}
          onRemove={() => actions.removeForGood(asked.project)}
        />
      );
    default:
      return null;
  }
}

function RemoveSheet(props: { project: Project; onClose: () => void; onRemove: () => void }) {
  const { project, onClose, onRemove } = props;
  return (
    <Sheet title={`Remove ${project.name}`} open onClose={onClose}>
      <p className="mb-4">
        {plural(project.pictures, "picture")}, {plural(project.runs, "run")} and everything else of this
        project are removed for good. This cannot be taken back.
      </p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Keep it</Button>
        <Button
          kind="danger"
          onClick={() => {
            onClose();
            onRemove();
          }}
        >
          Remove for good
        </Button>
      </div>
    </Sheet>
  );
}
