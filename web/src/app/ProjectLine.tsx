/** A project of the list: what it is, what came of it, what goes on in it, and some of its pictures. */
import { Link } from "react-router";
import type { Job, Project, ProjectGlimpse } from "../api/client";
import { useJobs, useProjectGlimpse } from "../api/queries";
import { isActive, jobWords } from "../domain/jobs";
import { moment, plural, score } from "../domain/words";
import { ActionMenu } from "../parts/ActionMenu";
import { buttonLook } from "../parts/Button";
import type { Asked } from "./ProjectSheets";
import type { ProjectActions } from "./useProjects";

interface Props {
  project: Project;
  actions: ProjectActions;
  onAsk: (asked: Asked) => void;
}

export function ProjectLine({ project, actions, onAsk }: Props) {
  const { data: glimpse } = useProjectGlimpse(project.id);
  const { data: jobs = [] } = useJobs();
  const active = jobs.filter((job) => job.project_id === project.id && isActive(job));
  return (
    <li className="flex items-center gap-2 border-t border-hairline">
      <Link
        to={`/p/${project.id}/rows`}
        className="flex min-w-0 flex-1 items-center gap-6 px-1 py-3 hover:bg-sunken"
      >
        <span className="min-w-0 flex-1">
          <span className="block truncate text-lg font-semibold" title={project.name}>
            {project.name}
          </span>
          {project.description && (
            <span className="block truncate" title={project.description}>
              {project.description}
            </span>
          )}
          <span className="block truncate text-quiet">
            {plural(project.pictures, "picture")}, {plural(project.classes, "class", "classes")},{" "}
            {plural(project.runs, "run")} · last worked on {moment(project.worked_at)}
          </span>
          <Standing project={project} glimpse={glimpse} active={active} />
        </span>
        <Strip glimpse={glimpse} />
      </Link>
      <ActionMenu
        words="More"
        label={`More for ${project.name}`}
        className={buttonLook("bare")}
        anchor="bottom end"
        actions={[
          { words: "Name and description", act: () => onAsk({ kind: "describe", project }) },
          { words: "Duplicate", act: () => onAsk({ kind: "duplicate", project }) },
          {
            words: project.archived_at ? "Take back into the list" : "Put away",
            act: () => actions.putAway(project, !project.archived_at),
          },
          { words: "Delete", act: () => actions.remove(project), danger: true },
        ]}
      />
    </li>
  );
}

interface StandingProps {
  project: Project;
  glimpse: ProjectGlimpse | undefined;
  active: readonly Job[];
}

/** The newest result with what it stands on, and what is under way. */
function Standing({ project, glimpse, active }: StandingProps) {
  const result = glimpse?.result;
  const [first] = active;
  return (
    <span className="block truncate" data-testid="standing">
      {result ? (
        <>
          <b>{score(result.accuracy)}</b> on {plural(result.count, "validation picture")}, run {result.run} on
          split {result.split}
        </>
      ) : (
        glimpse && <span className="text-quiet">{project.pictures ? "no result yet" : "empty"}</span>
      )}
      {first && (
        <span className="text-choice">
          {" "}
          · {first.title}: {jobWords(first)}
          {active.length > 1 && `, and ${active.length - 1} more`}
        </span>
      )}
    </span>
  );
}

/** Of as many classes as possible. */
function Strip({ glimpse }: { glimpse: ProjectGlimpse | undefined }) {
  return (
    <span
      className="flex h-12 w-[470px] max-w-[36%] shrink-0 flex-wrap justify-end gap-1 overflow-hidden"
      aria-hidden="true"
    >
      {glimpse?.samples.slice(0, 9).map((sample) => (
        <img
          key={sample.sha256}
          src={`/api/thumbnails/${sample.sha256}`}
          alt=""
          loading="lazy"
          className="size-12 bg-sunken object-cover"
        />
      ))}
    </span>
  );
}
