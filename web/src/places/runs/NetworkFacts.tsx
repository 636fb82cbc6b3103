/** What a network comes to in numbers, and what is doubtful about all of it. */
import type { NetworkCheck } from "../../api/client";
import { short } from "../../domain/recipe";
import { bytes } from "../../domain/words";

interface Props {
  check: NetworkCheck | undefined;
  size: number;
  batchSize: number;
}

export function NetworkFacts({ check, size, batchSize }: Props) {
  const facts: [string, string][] =
    check && !check.wrong
      ? [
          ["parameters", check.parameters.toLocaleString("en")],
          ["multiply-adds a picture", short(check.multiply_adds)],
          ["the last maps see", `${check.receptive_field} of ${size} px`],
          [`memory at batches of ${batchSize}`, bytes(check.memory_bytes)],
          ["exported file", bytes(check.file_bytes)],
        ]
      : [];
  const whole = check?.doubts.filter((doubt) => doubt.line === null) ?? [];
  return (
    <section aria-label="What it comes to" className="border-b border-hairline px-4 py-1.5">
      <dl className="flex min-h-[22px] flex-wrap gap-x-6" data-testid="network-facts">
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
