/** What a way of reading needs to be told: a pattern, a name for all, or what a table's columns mean. */
import type { Choice, Plan, Problem, Survey } from "../../api/client";
import { COLUMN_ROLES, PLACEHOLDER_HELP } from "../../domain/plan";

interface Props {
  survey: Survey;
  choice: Choice;
  examples: Plan["examples"];
  problem: Problem | undefined;
  onChoice: (choice: Choice) => void;
}

export function ReadingFields(props: Props) {
  const { survey, choice, problem, onChoice } = props;
  if (choice.read_as === "pattern") return <PatternField {...props} />;
  const table = survey.tables.find((entry) => entry.path === choice.table);
  return (
    <>
      {choice.read_as === "one_class" && (
        <label className="mt-2 block">
          <span className="mb-0.5 block">Class of all pictures</span>
          <input
            value={choice.class_name}
            onChange={(event) => onChoice({ ...choice, class_name: event.target.value })}
            className="rounded-control w-full border border-edge bg-surface px-2 py-1"
          />
        </label>
      )}
      {choice.read_as === "table" && table && (
        <ColumnFields columns={table.columns} choice={choice} onChoice={onChoice} />
      )}
      {problem && <Complaint problem={problem} />}
    </>
  );
}

function Complaint({ problem }: { problem: Problem }) {
  return (
    <p role="alert" className="mt-2 text-sm text-wrong">
      {problem.what} {problem.mend}
    </p>
  );
}

function PatternField({ choice, examples, problem, onChoice }: Omit<Props, "survey">) {
  return (
    <div className="mt-2">
      <label>
        <span className="mb-0.5 block">Pattern of the names, without their endings</span>
        <input
          value={choice.pattern}
          spellCheck={false}
          aria-invalid={!!problem}
          onChange={(event) => onChoice({ ...choice, pattern: event.target.value, renamed: {} })}
          className={`rounded-control w-full border bg-surface px-2 py-1 font-mono ${problem ? "border-wrong" : "border-edge"}`}
        />
      </label>
      {problem && <Complaint problem={problem} />}
      <div className="mt-1 flex flex-wrap gap-1">
        {PLACEHOLDER_HELP.map(([placeholder, words]) => (
          <button
            key={placeholder}
            type="button"
            title={words}
            className="rounded-control cursor-pointer border border-hairline px-1 font-mono text-sm hover:bg-sunken"
            onClick={() => onChoice({ ...choice, pattern: choice.pattern + placeholder, renamed: {} })}
          >
            {placeholder}
          </button>
        ))}
      </div>
      <Found examples={examples} faint={!!problem} />
    </div>
  );
}

/** Of one height however many are found: what stands below must not move away from under a pointer. */
function Found({ examples, faint }: { examples: Props["examples"]; faint: boolean }) {
  return (
    <ul
      className={`mt-2 h-42 overflow-y-auto text-sm ${faint ? "opacity-50" : ""}`}
      aria-label="What the pattern finds"
    >
      {examples.slice(0, 8).map((example) => (
        <li key={example.path} className="flex gap-2">
          <span className="min-w-0 flex-1 truncate font-mono" title={example.path}>
            {example.path.split("/").pop()}
          </span>
          <span className={example.class_name ? "font-semibold" : "text-quiet"}>
            {example.class_name ?? "no label"}
          </span>
        </li>
      ))}
    </ul>
  );
}

function ColumnFields(props: Pick<Props, "choice" | "onChoice"> & { columns: readonly string[] }) {
  const { columns, choice, onChoice } = props;
  const use = (role: string, column: string) => {
    const { [role]: _, ...others } = choice.columns;
    onChoice({ ...choice, columns: column ? { ...others, [role]: column } : others, renamed: {} });
  };
  return (
    <div className="mt-2">
      {COLUMN_ROLES.map(({ role, label, needed }) => (
        <label key={role} className="mb-1 grid grid-cols-[104px_1fr] items-center gap-2">
          <span className="text-sm">{label}</span>
          <select
            value={choice.columns[role] ?? ""}
            onChange={(event) => use(role, event.target.value)}
            className="rounded-control min-w-0 border border-edge bg-surface px-1 py-0.5"
          >
            {!needed && <option value="">no column</option>}
            {columns.map((column) => (
              <option key={column} value={column}>
                {column}
              </option>
            ))}
          </select>
        </label>
      ))}
    </div>
  );
}
