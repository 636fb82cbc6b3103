/** One line of a network: what it is, its numbers in place, what comes out of it, and what is wrong or doubtful there. */
import type { NetworkCheck, NetworkPart, NetworkRemark } from "../../api/client";
import { kindWords, type Part, type Row, sameLine } from "../../domain/network";
import { short } from "../../domain/recipe";
import { Button } from "../../parts/Button";

interface Props {
  row: Row;
  kind: NetworkPart | undefined;
  lit: boolean;
  check: NetworkCheck | undefined;
  onCursor: () => void;
  onPart: ((part: Part) => void) | undefined;
  onRepair: ((parts: readonly Part[]) => void) | undefined;
}

export function NetworkLine({ row, kind, lit, check, onCursor, onPart, onRepair }: Props) {
  const entry = check?.lines.find((one) => sameLine(one.line, row.line));
  const wrong = sameLine(check?.wrong?.line, row.line) ? check?.wrong : undefined;
  const doubts = check?.doubts.filter((doubt) => sameLine(doubt.line, row.line)) ?? [];
  return (
    <div
      role="row"
      tabIndex={lit ? 0 : -1}
      aria-selected={lit}
      data-line={row.line.join(".")}
      data-kind={row.part.kind}
      onFocus={onCursor}
      className={`border-b border-hairline px-3 py-0.5 ${lit ? "bg-choice/10" : ""} ${wrong ? "border-l-4 border-l-wrong" : ""}`}
    >
      <div role="gridcell">
        <div className="flex items-center gap-3" style={{ paddingLeft: 20 * (row.line.length - 1) }}>
          <span className="w-6 shrink-0 text-right font-mono text-xs text-quiet">
            {(row.line[row.line.length - 1] ?? 0) + 1}
          </span>
          <span
            className="w-36 shrink-0 font-semibold"
            title={`${kind?.does ?? ""} It is called ${row.part.id ?? "…"}.`}
          >
            {kindWords(row.part.kind)}
            {lit && <span className="block font-mono text-xs font-normal text-quiet">{row.part.id}</span>}
          </span>
          <span className="flex min-w-0 flex-1 flex-wrap items-center gap-x-2.5 gap-y-0.5">
            {kind?.settings.map((setting) => (
              <SettingInPlace key={setting.name} {...{ setting, onPart }} part={row.part} />
            ))}
            {(row.part.inputs?.length || JOINTS.has(row.part.kind)) && (
              <Inputs part={row.part} onPart={onPart} />
            )}
          </span>
          <Outcome entry={entry} whole={check?.multiply_adds ?? 0} />
        </div>
        {wrong && <Remark remark={wrong} loud onRepair={onRepair} />}
        {doubts.map((doubt) => (
          <Remark key={doubt.what} remark={doubt} onRepair={onRepair} />
        ))}
      </div>
    </div>
  );
}

const JOINTS = new Set(["add", "concat", "multiply"]);

interface FieldProps {
  part: Part;
  onPart: ((part: Part) => void) | undefined;
}

type SettingProps = FieldProps & { setting: NetworkPart["settings"][number] };

function SettingInPlace({ setting, part, onPart }: SettingProps) {
  const words = setting.name.replaceAll("_", " ");
  // What is hardly ever changed shows once it is.
  const rare = HIDDEN.has(setting.name) || (setting.name === "outputs" && part.kind === "head");
  if (rare && part[setting.name] === setting.default) return null;
  return (
    <span className="flex items-center gap-1 text-xs text-quiet" title={MEANING[setting.name]}>
      {/* A curve's name says what it is. */}
      {setting.name !== "activation" && words}
      <Field {...{ setting, part, onPart }} label={`${words} of ${part.id ?? kindWords(part.kind)}`} />
    </span>
  );
}

const MEANING: Record<string, string> = {
  channels: "Maps that come out",
  kernel: "Side of the window, in pixels",
  stride: "Pixels from one window to the next; of a pooling, 0 means as many as the window is wide",
  edge: "keep: the maps stay as large; cut: only whole windows",
  convolutions: "One behind the other, 1 to 4",
  reduction: "So many times fewer channels in between",
  hidden: "Values of a dense layer before the last; 0 for none",
  dropout: "Share of values that are zero while training",
  share: "Of values that are zero while training",
  outputs: "Values that come out; 0 means one for each class",
  times: "So many times over, each with weights of its own",
};

const FIELD =
  "rounded-control border border-edge bg-surface px-1 font-mono text-sm text-ink disabled:border-transparent disabled:bg-transparent";

function Field({ setting, part, onPart, label }: SettingProps & { label: string }) {
  const value = part[setting.name];
  const set = (next: unknown) => onPart?.({ ...part, [setting.name]: next });
  const shared = { "aria-label": label, disabled: !onPart };
  if (setting.type === "bool") {
    return (
      <input
        {...shared}
        type="checkbox"
        checked={value === true}
        onChange={(event) => set(event.target.checked)}
        className="accent-choice"
      />
    );
  }
  if (setting.type === "str") {
    return (
      <select
        {...shared}
        value={String(value)}
        onChange={(event) => set(event.target.value)}
        className={`${FIELD} max-w-24`}
      >
        {[...new Set([...setting.choices, String(value)])].map((choice) => (
          <option key={choice}>{choice}</option>
        ))}
      </select>
    );
  }
  const whole = setting.type === "int";
  return (
    <input
      {...shared}
      type="number"
      min={0}
      step={whole ? 1 : 0.05}
      value={String(value)}
      onChange={(event) => {
        const next = event.target.valueAsNumber;
        if (Number.isFinite(next)) set(whole ? Math.round(next) : next);
      }}
      className={`${FIELD} ${whole ? "w-12" : "w-16"}`}
    />
  );
}

const HIDDEN = new Set(["start", "dilation", "groups", "bias", "slope", "limit"]);

/** Which lines feed this one, by the names that they are called by. */
function Inputs({ part, onPart }: FieldProps) {
  return (
    <span className="flex items-center gap-1 text-sm text-quiet">
      from
      <input
        aria-label={`inputs of ${part.id ?? kindWords(part.kind)}`}
        key={(part.inputs ?? []).join()}
        defaultValue={(part.inputs ?? []).join(", ")}
        placeholder="the line before"
        disabled={!onPart}
        onBlur={(event) => {
          const inputs = event.target.value
            .split(",")
            .map((name) => name.trim())
            .filter(Boolean);
          if (inputs.join() !== (part.inputs ?? []).join()) onPart?.({ ...part, inputs });
        }}
        className="rounded-control w-56 border border-edge bg-surface px-1 font-mono text-sm text-ink"
      />
    </span>
  );
}

/** Widths of what a line comes to: shape, parameters, share of the arithmetic. */
export const OUTCOME = ["w-20", "w-[68px]", "w-14"] as const;

function Outcome({ entry, whole }: { entry: NetworkCheck["lines"][number] | undefined; whole: number }) {
  const share = entry && whole ? entry.multiply_adds / whole : 0;
  return (
    <span className="flex shrink-0 items-center gap-3 font-mono text-sm" data-testid="line-outcome">
      <span className={`${OUTCOME[0]} text-right`}>{entry ? entry.shape.join("×") : "–"}</span>
      <span className={`${OUTCOME[1]} text-right`}>{entry?.parameters ? short(entry.parameters) : "–"}</span>
      <span className={OUTCOME[2]} title={`${(100 * share).toFixed(1)} % of the arithmetic`}>
        <span className="block h-2 bg-choice/60" style={{ width: `${100 * share}%` }} />
      </span>
    </span>
  );
}

interface RemarkProps {
  remark: NetworkRemark;
  loud?: boolean;
  onRepair: Props["onRepair"];
}

function Remark({ remark, loud, onRepair }: RemarkProps) {
  return (
    <div
      role={loud ? "alert" : "note"}
      className={`flex items-baseline gap-3 pl-9 text-sm ${loud ? "text-wrong" : ""}`}
      data-testid={loud ? "line-wrong" : "line-doubt"}
    >
      <span>
        <b>{remark.what}</b> <span className={loud ? "" : "text-quiet"}>{remark.why}</span>
      </span>
      {remark.repair && onRepair && (
        <Button
          className="shrink-0 py-0"
          onClick={() => onRepair(remark.repair?.layers as unknown as readonly Part[])}
        >
          {remark.repair.words}
        </Button>
      )}
    </div>
  );
}
