/** Many tried pictures: a row for each answer, the least sure first, and the answers as a table. */
import type { Model } from "../../api/client";
import { useIntervals } from "../../api/ingredientQueries";
import { usePlace } from "../../app/context";
import { colourPlace } from "../../domain/classColour";
import {
  type AnswerRow,
  type Asked,
  answersAsCsv,
  countRight,
  isWrong,
  rowsByAnswer,
  type Sorted,
  sortedOut,
} from "../../domain/tried";
import { plural, probability, score } from "../../domain/words";
import { Button } from "../../parts/Button";
import { ClassSign } from "../../parts/ClassSign";
import type { Tried } from "./TriedPicture";

interface Props {
  tried: readonly Tried[];
  model: Model;
  asked: Asked;
  onShow: (key: string) => void;
}

/** So many tiles of a row are drawn; the table has all. */
const MOST_TILES = 300;

export function TriedMany({ tried, model, asked, onShow }: Props) {
  const sorted = sortedOut(tried, asked);
  const unreadable = tried.length - sorted.length;
  const unsure = sorted.filter((entry) => entry.unsure).length;
  return (
    <div className="min-h-0 flex-1 overflow-y-auto px-4 py-2" data-testid="tried-many">
      <div className="mb-2 flex flex-wrap items-center gap-x-4 gap-y-1">
        <p className="font-semibold" data-testid="tried-words">
          {plural(tried.length, "picture")} answered
          {unsure > 0 && `, ${unsure.toLocaleString("en")} unsure`}
          {unreadable > 0 && `, ${unreadable.toLocaleString("en")} cannot be read`}
        </p>
        <Right sorted={sorted} />
        <Button className="ml-auto" onClick={() => saveTable(tried, model, asked)}>
          Table as CSV
        </Button>
      </div>
      {rowsByAnswer(sorted, asked.names).map((row) => (
        <Row key={row.name ?? ""} row={row} model={model} onShow={onShow} />
      ))}
    </div>
  );
}

/** Where folders or names say classes: how often the answer is right, and how sure that figure is. */
function Right({ sorted }: { sorted: readonly Sorted<Tried>[] }) {
  const { known, right } = countRight(sorted);
  const intervals = useIntervals(known ? [known] : [], known ? right / known : 0);
  if (!known) return null;
  const [low, high] = intervals.data?.[0] ?? [];
  return (
    <p data-testid="tried-right">
      {score(right / known)} right
      {low !== undefined && high !== undefined && ` (${score(low)} to ${score(high)})`} of{" "}
      {plural(known, "picture")} whose folder or name says a class
    </p>
  );
}

function saveTable(tried: readonly Tried[], model: Model, asked: Asked): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([answersAsCsv(tried, asked)], { type: "text/csv" }));
  link.download = `run-${model.run_number}-tried.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}

interface RowProps {
  row: AnswerRow<Tried>;
  model: Model;
  onShow: (key: string) => void;
}

function Row({ row, model, onShow }: RowProps) {
  const { classes } = usePlace();
  const known = model.classes.find((entry) => entry.name === row.name);
  const entry = classes.find((now) => now.id === known?.id);
  const wrong = row.entries.filter(isWrong).length;
  return (
    <section className="flex gap-3 border-t border-hairline py-2" aria-label={row.name ?? "unsure"}>
      <h3 className="w-[132px] shrink-0">
        {known && <ClassSign place={colourPlace(entry)} sign={known.sign} />}{" "}
        <b className={row.name ? "" : "text-wrong"}>{row.name ?? "unsure"}</b>{" "}
        <span className="text-quiet">{row.entries.length.toLocaleString("en")}</span>
        {wrong > 0 && (
          <span className="block text-sm text-wrong">{wrong.toLocaleString("en")} otherwise</span>
        )}
      </h3>
      <ul className="flex min-w-0 flex-1 flex-wrap gap-1">
        {row.entries.slice(0, MOST_TILES).map((sorted) => (
          <li key={sorted.tried.key}>
            <Tile sorted={sorted} onShow={() => onShow(sorted.tried.key)} />
          </li>
        ))}
        {row.entries.length > MOST_TILES && (
          <li className="self-end text-sm text-quiet">
            and {(row.entries.length - MOST_TILES).toLocaleString("en")} more, in the table
          </li>
        )}
      </ul>
    </section>
  );
}

function Tile({ sorted, onShow }: { sorted: Sorted<Tried>; onShow: () => void }) {
  const { tried, order, truth } = sorted;
  const [first] = order;
  const wrong = isWrong(sorted);
  const words = `${tried.path}: ${first?.name}, ${probability(first?.p ?? 0)}${truth ? `; its folder or name says ${truth}` : ""}`;
  return (
    <button
      type="button"
      onClick={onShow}
      title={words}
      aria-label={words}
      className={`relative block cursor-pointer ${wrong ? "outline-2 outline-wrong" : ""}`}
    >
      <img src={tried.url} alt="" loading="lazy" className="size-[72px] bg-sunken object-contain" />
      <span className="absolute right-0 bottom-0 bg-surface/85 px-0.5 font-mono text-[11px]">
        {probability(first?.p ?? 0)}
      </span>
    </button>
  );
}
