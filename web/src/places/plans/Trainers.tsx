/** Who does what: each place where trainings go on, what does there, since when, and its last sign of life. */
import type { Trainer } from "../../api/client";
import { useTrainers } from "../../api/planQueries";
import { duration, plural } from "../../domain/words";

export function Trainers() {
  const { data: places = [] } = useTrainers();
  if (!places.length) return null;
  return (
    <section
      aria-label="Who does what"
      data-testid="trainers"
      className="shrink-0 border-t border-hairline px-5 py-1"
    >
      <ol>
        {places.map((place) => (
          <li key={place.place} className="flex gap-3 text-sm">
            <span className="w-56 shrink-0 text-quiet">
              Place {place.place} of {places.length}, {plural(place.threads, "processor")}
            </span>
            <span className="min-w-0 flex-1 truncate">{doesWords(place)}</span>
            <span className="shrink-0 text-quiet">{signWords(place)}</span>
          </li>
        ))}
      </ol>
    </section>
  );
}

function doesWords(place: Trainer): string {
  if (!place.job_id) return "waits for the next";
  const done = place.total ? `, ${Math.round((100 * place.done) / place.total)} %` : "";
  return `${place.project_name}, ${place.title}: ${place.stage.toLowerCase() || "begins"}${done}`;
}

function signWords(place: Trainer): string {
  if (!place.since || !place.sign_at) return "";
  const ago = (text: string) => Math.max(0, (Date.parse(place.now) - Date.parse(text)) / 1000);
  const sign = ago(place.sign_at);
  return `for ${duration(Math.max(1, ago(place.since)))}; last sign of life ${sign < 2 ? "now" : `${duration(sign)} ago`}`;
}
