/** Another project as a source: its pictures come by a plan, its named ingredients at once. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, need, type Project } from "../../api/client";
import { useProjects } from "../../api/queries";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import type { SourceOf } from "./bringIn";
import { Way } from "./Way";

interface Props {
  projectId: number;
  onRead: (source: SourceOf) => void;
}

export function ProjectWay({ projectId, onRead }: Props) {
  const { data: projects = [] } = useProjects();
  const others = projects.filter((project) => project.id !== projectId);
  const [chosen, setChosen] = useState<number>();
  const source = others.find((project) => project.id === chosen) ?? others[0];
  const takeOver = useTakingOver(projectId);
  return (
    <Way
      name="Another project"
      about={
        others.length
          ? "Its pictures with their labels and notes, by a plan; or the variations, preprocessings and networks that it keeps by name."
          : "There is no other project yet."
      }
    >
      {source && (
        <select
          aria-label="Other project"
          value={source.id}
          onChange={(event) => setChosen(Number(event.target.value))}
          className="rounded-control max-w-[180px] border border-edge bg-surface px-1.5 py-1"
        >
          {others.map((project) => (
            <option key={project.id} value={project.id}>
              {project.name}
            </option>
          ))}
        </select>
      )}
      <Button
        disabled={!source?.pictures}
        onClick={() => source && onRead({ kind: "project", location: String(source.id), name: source.name })}
      >
        Read its pictures
      </Button>
      <Button disabled={!source} onClick={() => source && void takeOver(source)}>
        Take its ingredients
      </Button>
    </Way>
  );
}

function useTakingOver(projectId: number) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  return async (source: Project) => {
    try {
      const taken = await need(
        client.POST("/api/projects/{project_id}/ingredients/take-over", {
          params: { path: { project_id: projectId } },
          body: { from_project: source.id },
        }),
      );
      const names = taken.map((entry) => entry.name).join(", ");
      say(
        taken.length
          ? `${plural(taken.length, "ingredient")} of ${source.name} can be chosen by name now: ${names}.`
          : `${source.name} keeps nothing by name that is not here.`,
      );
      await queries.invalidateQueries({ queryKey: ["ingredients"] });
    } catch (error) {
      fail(error);
    }
  };
}
