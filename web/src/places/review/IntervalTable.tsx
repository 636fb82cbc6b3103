/** Every figure of a judged set with its 95 % interval drawn on one ruler, the whole set first, then each class. */
import { useState } from "react";
import type { Judgement, Model, Sureness } from "../../api/client";
import { usePlace } from "../../app/context";
import { colourPlace } from "../../domain/classColour";
import { type Interval, intervalWords, isShare, pair, rulerStart } from "../../domain/sureness";
import { score } from "../../domain/words";
import { Choice } from "../../parts/Choice";
import { ClassSign } from "../../parts/ClassSign";

interface Props {
  model: Model;
  judgement: Judgement;
  sure: Sureness;
}

type Figure = "recall" | "precision" | "f1";

const FIGURES: readonly { value: Figure; label: string }[] = [
  { value: "recall", label: "recall" },
  { value: "precision", label: "precision" },
  { value: "f1", label: "F1" },
];

export function IntervalTable({ model, judgement, sure }: Props) {
  const [figure, setFigure] = useState<Figure>("recall");
  const whole = sure.scores.map((entry) => ({ ...entry, interval: pair(entry.interval) }));
  const start = rulerStart(
    whole
      .filter((entry) => isShare(entry.name) && entry.name !== "error rate")
      .map((entry) => entry.interval),
  );
  const ofClasses = sure.classes.map((entry) => pair(entry[figure]));
  const classStart = rulerStart(ofClasses);
  return (
    <>
      <table className="w-full" aria-label="Figures of the whole set" data-testid="figures">
        <Heads of="figure" start={start} />
        <tbody>
          {whole.map((entry) => (
            <Row
              key={entry.name}
              value={entry.value}
              interval={entry.interval}
              start={isShare(entry.name) && entry.name !== "error rate" ? start : undefined}
            >
              {entry.name}
            </Row>
          ))}
        </tbody>
      </table>
      <div className="mt-4 flex items-center justify-between text-sm">
        <h3 className="font-semibold">By class</h3>
        <Choice<Figure> label="Figure" hideLabel value={figure} onChange={setFigure} options={FIGURES} />
      </div>
      <table className="w-full" aria-label={`Figures by class: ${figure}`} data-testid="class-figures">
        <Heads of="class" start={classStart} counted />
        <tbody>
          {model.classes.map((entry, place) => {
            const scores = judgement.classes[place];
            const between = sure.classes[place];
            return (
              <Row
                key={entry.id}
                value={scores?.[figure] ?? null}
                interval={ofClasses[place]}
                start={classStart}
                count={figure === "precision" ? scores?.predicted : scores?.count}
                small={between?.small}
              >
                <ClassName id={entry.id} sign={entry.sign} name={entry.name} />
              </Row>
            );
          })}
        </tbody>
      </table>
      {sure.classes.some((entry) => entry.small) && (
        <p className="mt-1 text-sm text-quiet">
          ≈ fewer than 20 pictures: a hint at most, until more are brought in.
        </p>
      )}
    </>
  );
}

function ClassName({ id, sign, name }: { id: number; sign: string; name: string }) {
  const { classes } = usePlace();
  return (
    <>
      <ClassSign place={colourPlace(classes.find((item) => item.id === id))} sign={sign} /> {name}
    </>
  );
}

function Heads({ of, start, counted }: { of: string; start: number; counted?: boolean }) {
  return (
    <thead>
      <tr className="text-sm text-quiet">
        <th className="w-[150px] text-left font-normal">{of}</th>
        <th className="w-[52px] text-right font-normal">value</th>
        <th className="px-3 font-normal">
          <span className="flex justify-between">
            <span>{start}</span>
            <span>1</span>
          </span>
        </th>
        <th className="w-[96px] text-left font-normal" title="95 %">
          between
        </th>
        {counted && <th className="w-[52px] text-right font-normal">pictures</th>}
      </tr>
    </thead>
  );
}

interface RowProps {
  value: number | null;
  interval: Interval | undefined;
  /** Where the ruler begins; a figure that is no share has none. */
  start: number | undefined;
  count?: number | undefined;
  small?: boolean | undefined;
  children: React.ReactNode;
}

function Row({ value, interval, start, count, small, children }: RowProps) {
  return (
    <tr className="border-t border-hairline">
      <td className="max-w-[150px] truncate py-0.5">{children}</td>
      <td className="text-right font-mono text-sm font-semibold">{score(value)}</td>
      <td className="px-3">
        {start !== undefined && interval && value !== null && (
          <Ruler value={value} interval={interval} start={start} />
        )}
      </td>
      <td
        className="font-mono text-sm whitespace-nowrap text-quiet"
        title={interval ? undefined : "Without a single error, or without a picture, there is no telling"}
      >
        {intervalWords(interval)}
      </td>
      {count !== undefined && (
        <td className="text-right font-mono text-sm">
          {small && <span title="Fewer than 20 pictures: a hint at most">≈ </span>}
          {count}
        </td>
      )}
    </tr>
  );
}

/** A line from low to high, and a mark at the value. */
function Ruler({ value, interval, start }: { value: number; interval: Interval; start: number }) {
  const at = (share: number) => `${(100 * (Math.max(start, share) - start)) / (1 - start)}%`;
  return (
    <svg className="block h-4 w-full overflow-visible" aria-hidden="true">
      <line x1="0" x2="100%" y1="8" y2="8" stroke="var(--hairline)" />
      <line x1={at(interval[0])} x2={at(interval[1])} y1="8" y2="8" stroke="var(--choice)" strokeWidth="3" />
      <line x1={at(value)} x2={at(value)} y1="2" y2="14" stroke="var(--ink)" strokeWidth="2" />
    </svg>
  );
}
