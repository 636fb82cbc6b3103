/** The next useful thing to do in a project that has no result yet. */
import { useImports, useJobs } from "../../api/queries";
import type { PlaceContext } from "../../app/context";
import { type NextStep, nextStep } from "../../domain/nextStep";

export function useNextStep({
  project,
  classes,
  runs,
}: Pick<PlaceContext, "project" | "classes" | "runs">): NextStep {
  const { data: jobs = [] } = useJobs();
  const { data: imports = [] } = useImports(project.id);
  return nextStep({
    pictures: project.pictures,
    classes: classes.map((entry) => entry.count),
    runs,
    imports,
    jobs: jobs.filter((job) => job.project_id === project.id),
  });
}
