/** Where classes are read from, and how much is taken. */
import { Label, Radio, RadioGroup } from "@headlessui/react";
import type { Choice, Plan, Problem, Survey } from "../../api/client";
import { COLUMN_ROLES, PLACEHOLDER_HELP, readingWords, sameReading } from "../../domain/plan";
import { plural } from "../../domain/words";
import { NumberField } from "../../parts/NumberField";

interface Props {
  survey: Survey;
  choice: Choice;
  examples: Plan["examples"];
  problem: Problem | undefined;
  onChoice: (choice: Choice) => void;
}

interface Offer {
  readonly choice: Choice;
  readonly words: string;
  readonly found: string;
}

/** What was tried, likeliest first, then what a person can always choose. */
function offers(survey: Survey, chosen: Choice): Offer[] {
  const bare = { renamed: {}, part: chosen.part };
  const found: Offer[] = survey.readings.map((tried) => ({
    choice: { ...(tried.choice as Choice), ...bare },
    words: readingWords(tried.choice as Choice),
    found: tried.classes
      ? `${plural(tried.classes, "class", "classes")}, ${tried.labelled.toLocaleString("en")} labelled`
      : "",
  }));
  const add = (choice: Choice, words: string, note: string) => {
    const kind = (entry: Offer) =>
      choice.read_as === "table"
        ? entry.choice.table === choice.table
        : entry.choice.read_as === choice.read_as;
    if (!found.some(kind)) found.push({ choice, words, found: note });
  };
  const empty: Choice = {
    ...chosen,
    ...bare,
    read_as: "unlabelled",
    pattern: "",
    class_name: "",
    table: "",
    columns: {},
  };
  for (const table of survey.tables) {
    const columns: Record<string, string> = table.columns[0] ? { path: table.columns[0] } : {};
    add(
      { ...empty, read_as: "table", table: table.path, columns },
      `the table ${table.path}`,
      table.error ?? "names none of the files",
    );
  }
  add({ ...empty, read_as: "folders" }, "a folder for each class", "no class found");
  add({ ...empty, read_as: "pattern", pattern: "{class}_{number}" }, "the file names, by a pattern", "");
  add({ ...empty, read_as: "one_class", class_name: "new class" }, "one class for all", "");
  return found;
}

export function ReadingChooser({ survey, choice, examples, problem, onChoice }: Props) {
  const listed = offers(survey, choice);
  const at = listed.findIndex(
    (offer) =>
      sameReading(offer.choice, choice) ||
      (offer.choice.read_as === "pattern" && choice.read_as === "pattern") ||
      (offer.choice.read_as === "one_class" && choice.read_as === "one_class"),
  );
  const table = survey.tables.find((entry) => entry.path === choice.table);
  return (
    <>
      <RadioGroup value={at} onChange={(index: number) => listed[index] && onChoice(listed[index].choice)}>
        <Label className="mb-1 block font-semibold">Classes are read from</Label>
        {listed.map((offer, index) => (
          <Radio
            key={`${offer.choice.read_as} ${offer.choice.table}`}
            value={index}
            className="block cursor-pointer border-l-4 border-transparent py-1 pl-2 hover:bg-sunken data-checked:border-choice data-checked:bg-choice-wash"
          >
            <span className="block wrap-anywhere">
              {offer.choice.read_as === "pattern" ? "the file names, by a pattern" : offer.words}
            </span>
            <span className="block text-sm text-quiet">
              {offer.found}
              {index === 0 && offer.found ? " · likeliest" : ""}
            </span>
          </Radio>
        ))}
      </RadioGroup>
      {choice.read_as === "pattern" && (
        <PatternField choice={choice} examples={examples} problem={problem} onChoice={onChoice} />
      )}
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
        <div className="mt-2">
          {COLUMN_ROLES.map(({ role, label, needed }) => (
            <label key={role} className="mb-1 grid grid-cols-[104px_1fr] items-center gap-2">
              <span className="text-sm">{label}</span>
              <select
                value={choice.columns[role] ?? ""}
                onChange={(event) => {
                  const columns = { ...choice.columns };
                  if (event.target.value) columns[role] = event.target.value;
                  else delete columns[role];
                  onChoice({ ...choice, columns, renamed: {} });
                }}
                className="rounded-control min-w-0 border border-edge bg-surface px-1 py-0.5"
              >
                {!needed && <option value="">no column</option>}
                {table.columns.map((column) => (
                  <option key={column} value={column}>
                    {column}
                  </option>
                ))}
              </select>
            </label>
          ))}
        </div>
      )}
      {problem && choice.read_as !== "pattern" && (
        <p role="alert" className="mt-2 text-sm text-wrong">
          {problem.what} {problem.mend}
        </p>
      )}
      <PartFields choice={choice} onChoice={onChoice} />
    </>
  );
}

function PatternField(props: Omit<Props, "survey">) {
  const { choice, examples, problem, onChoice } = props;
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
      {problem && (
        <p role="alert" className="mt-1 text-sm text-wrong">
          {problem.what} {problem.mend}
        </p>
      )}
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
      {/* Of one height however many are found: what stands below must not move away from under a pointer. */}
      <ul
        className={`mt-2 h-42 overflow-y-auto text-sm ${problem ? "opacity-50" : ""}`}
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
    </div>
  );
}

function PartFields({ choice, onChoice }: { choice: Choice; onChoice: (choice: Choice) => void }) {
  const part = choice.part;
  return (
    <fieldset className="mt-5">
      <legend className="mb-1 font-semibold">How much</legend>
      <label className="mb-1 flex items-center gap-2">
        <input
          type="radio"
          name="part"
          checked={!part}
          onChange={() => onChoice({ ...choice, part: null })}
        />
        everything
      </label>
      <label className="mb-2 flex items-center gap-2">
        <input
          type="radio"
          name="part"
          checked={!!part}
          onChange={() => onChoice({ ...choice, part: { per_class: 300, seed: 1 } })}
        />
        a random part, balanced
      </label>
      {part && (
        <>
          <NumberField
            label="Of each class"
            help="at most; the rest can be brought in later"
            value={part.per_class}
            min={1}
            max={10_000_000}
            onChange={(per_class) => onChoice({ ...choice, part: { seed: part.seed ?? 1, per_class } })}
          />
          <NumberField
            label="Seed"
            help="the same seed takes the same pictures"
            value={part.seed ?? 1}
            min={0}
            max={2_147_483_647}
            onChange={(seed) => onChoice({ ...choice, part: { per_class: part.per_class, seed } })}
          />
        </>
      )}
    </fieldset>
  );
}
