/** What a network comes to in numbers, and what is doubtful about all of it. */
import type { NetworkCheck } from "../../api/client";
import type { Lesson } from "../../domain/network";
import { short } from "../../domain/recipe";
import { bytes, duration, milliseconds, plural } from "../../domain/words";

interface Props {
  check: NetworkCheck | undefined;
  lesson: Lesson;
  epochs: number;
}

export function NetworkFacts({ check, lesson, epochs }: Props) {
  const facts: [string, string][] =
    check && !check.wrong
      ? [
          ["parameters", check.parameters.toLocaleString("en")],
          ["multiply-adds", short(check.multiply_adds)],
          ["maps see", `${check.receptive_field} of ${lesson.size} px`],
          [`memory at ${lesson.batch_size} a batch`, bytes(check.memory_bytes)],
          ["file", bytes(check.file_bytes)],
          ...times(check, lesson, epochs),
        ]
      : [];
  const whole = check?.doubts.filter((doubt) => doubt.line === null) ?? [];
  return (
    <section aria-label="What it comes to" className="border-b border-hairline px-4 py-1.5">
      <dl className="flex min-h-[22px] flex-wrap gap-x-5" data-testid="network-facts">
        {facts.map(([what, value]) => (
          <div key={what} className="flex items-baseline gap-1.5">
            <dt className="text-sm text-quiet">{what}</dt>
            <dd className="font-mono text-sm">{value}</dd>
          </div>
        ))}
        {check?.wrong && (
          <div role="status" className="text-wrong">
            {check.wrong.line ? "One line has a mistake; it is said there." : check.wrong.what}
          </div>
        )}
      </dl>
      {whole.map((doubt) => (
        <p key={doubt.what} className="text-sm" data-testid="network-doubt">
          <b>{doubt.what}</b> <span className="text-quiet">{doubt.why}</span>
        </p>
      ))}
    </section>
  );
}

/** What is expected on this machine; nothing before that is known. */
function times(check: NetworkCheck, lesson: Lesson, epochs: number): [string, string][] {
  const { epoch_s, answer_s } = check;
  const pictures = lesson.pictures.toLocaleString("en");
  return [
    ...(epoch_s === null
      ? []
      : ([
          [`epoch of ${pictures}`, `≈ ${duration(epoch_s)}`],
          [plural(epochs, "epoch"), `≈ ${duration(epoch_s * epochs)}`],
        ] satisfies [string, string][])),
    ...(answer_s === null ? [] : ([["answer", milliseconds(answer_s)]] satisfies [string, string][])),
  ];
}
