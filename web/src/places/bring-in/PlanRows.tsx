/** What a source would bring, as rows: a line about all of it, then its classes. */
import type { Choice, Import, Plan, Survey } from "../../api/client";
import { contentWords, isFolderOut, withFolder } from "../../domain/plan";
import { plural } from "../../domain/words";
import { Skipped } from "./PastImport";
import { PlannedRow } from "./PlannedRow";

interface Props {
  entry: Import;
  survey: Survey;
  plan: Plan;
  choice: Choice;
  /** True while the plan on show is not yet that of the choice. */
  stale: boolean;
  onChoice: (choice: Choice) => void;
}

export function PlanRows(props: Props) {
  const { plan, survey } = props;
  const largest = Math.max(1, plan.unlabelled.chosen, ...plan.classes.map((entry) => entry.chosen));
  const rows = plan.unlabelled.files ? [plan.unlabelled, ...plan.classes] : plan.classes;
  return (
    <div className={props.stale ? "opacity-50" : ""}>
      <div className="border-b border-hairline px-4 py-2 text-sm text-quiet">
        <p>{contentWords(survey)}</p>
        {plan.wrappers.length > 0 && (
          <p>Seen through: {plan.wrappers.join(" / ")}, which holds everything.</p>
        )}
        {plan.notes.map((note) => (
          <p key={note}>{note}</p>
        ))}
        {plan.groups > 0 && <p>{plural(plan.groups, "group")} of pictures that belong together.</p>}
        {plan.noted > 0 && <p>{plural(plan.noted, "picture")} with a note.</p>}
        <TwoLabels entry={props.entry} plan={plan} />
        <Folders plan={plan} choice={props.choice} onChoice={props.onChoice} />
        <Skipped skipped={survey.skipped} count={survey.skipped_count} />
      </div>
      <ul aria-label="Classes">
        {rows.map((entry) => (
          <PlannedRow
            key={`${entry.name}|${entry.read_as.join("|")}`}
            importId={props.entry.id}
            entry={entry}
            names={plan.classes.map((other) => other.name)}
            largest={largest}
            choice={props.choice}
            onChoice={props.onChoice}
          />
        ))}
      </ul>
    </div>
  );
}

/** The source's folders, each with all that lies in it taken or left out. */
function Folders({ plan, choice, onChoice }: Pick<Props, "plan" | "choice" | "onChoice">) {
  if (plan.folders_count < 2) return null;
  const out = (choice.without_folders ?? []).length;
  const above = (path: string) =>
    path.includes("/") && isFolderOut(choice, path.slice(0, path.lastIndexOf("/")));
  return (
    <details className="mt-1" data-testid="folders">
      <summary className="cursor-pointer">
        {plural(plan.folders_count, "folder")}
        {out > 0 && <b className="text-ink">, {out} left out</b>}
      </summary>
      <ul className="mt-1 max-h-64 overflow-y-auto text-ink">
        {plan.folders.map((folder) => (
          <li key={folder.path} style={{ paddingLeft: `${16 * (folder.path.split("/").length - 1)}px` }}>
            <label className="flex cursor-pointer items-baseline gap-2">
              <input
                type="checkbox"
                checked={!isFolderOut(choice, folder.path)}
                disabled={above(folder.path)}
                onChange={(event) => onChoice(withFolder(choice, folder.path, event.target.checked))}
                className="accent-choice"
              />
              <span className="min-w-0 truncate" title={folder.path}>
                {folder.path.slice(folder.path.lastIndexOf("/") + 1)}
              </span>
              <span className="text-quiet">{folder.files.toLocaleString("en")}</span>
            </label>
          </li>
        ))}
      </ul>
      {plan.folders_count > plan.folders.length && (
        <p>The first {plan.folders.length} are listed; classes can be left out below.</p>
      )}
    </details>
  );
}

function TwoLabels({ entry, plan }: { entry: Import; plan: Plan }) {
  if (!plan.two_labels_count) return null;
  return (
    <details className="mt-1 text-ink">
      <summary className="cursor-pointer text-wrong">
        {plural(plan.two_labels_count, "picture")} with two labels; the first stands, and they are marked
      </summary>
      <ul className="mt-1 max-h-64 overflow-y-auto">
        {plan.two_labels.map((two) => (
          <li key={two.paths.join("|")} className="flex items-center gap-2 py-0.5">
            <img
              src={`/api/imports/${entry.id}/strip?side=48&contents=${two.sha256}`}
              alt=""
              loading="lazy"
              className="size-12"
            />
            <span className="min-w-0 wrap-anywhere">
              {two.paths.map((path, index) => (
                <span key={path} className="block">
                  <b>{two.labels[index]}</b> <span className="font-mono text-sm text-quiet">{path}</span>
                </span>
              ))}
            </span>
          </li>
        ))}
      </ul>
    </details>
  );
}
