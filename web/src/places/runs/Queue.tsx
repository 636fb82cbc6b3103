/** What trains and what waits, in the order of their turns; there while anything waits. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, need, type QueuedRun, type QueueMove } from "../../api/client";
import { useQueue } from "../../api/runQueries";
import { queuedTitle, queuedWords, queueWords, waitingRuns } from "../../domain/queue";
import { useNotices } from "../../parts/Notices";

export function Queue({ projectId, onShow }: { projectId: number; onShow: (runId: number) => void }) {
  const { data: queue = [] } = useQueue();
  const waiting = waitingRuns(queue);
  if (!waiting.length) return null;
  return (
    <section
      aria-label="Queue"
      data-testid="queue"
      className="max-h-[18%] shrink-0 overflow-auto border-t border-hairline px-5 py-1.5"
    >
      <h3 className="text-sm text-quiet">{queueWords(queue)}</h3>
      <ol>
        {queue.map((entry) => (
          <Line
            key={entry.run_id}
            entry={entry}
            projectId={projectId}
            place={waiting.indexOf(entry)}
            count={waiting.length}
            trains={queue.length > waiting.length}
            onShow={onShow}
          />
        ))}
      </ol>
    </section>
  );
}

interface LineProps {
  entry: QueuedRun;
  projectId: number;
  /** Among those that wait; -1 of what trains. */
  place: number;
  count: number;
  /** Something trains now. */
  trains: boolean;
  onShow: (runId: number) => void;
}

function Line({ entry, projectId, place, count, trains, onShow }: LineProps) {
  const { busy, move, takeOut } = useMoves(entry);
  const title = queuedTitle(entry, projectId);
  return (
    <li className="flex items-baseline gap-3" data-queued={entry.number}>
      <span className="w-6 shrink-0 text-right text-sm text-quiet tabular-nums">
        {place < 0 ? "" : place + 1}
      </span>
      <button
        type="button"
        onClick={() => onShow(entry.run_id)}
        disabled={entry.project_id !== projectId}
        className="w-[220px] shrink-0 truncate text-left enabled:cursor-pointer enabled:hover:underline"
        title={title}
      >
        {title}
      </button>
      <span className="min-w-0 flex-1 truncate text-sm text-quiet">{queuedWords(entry)}</span>
      {!entry.training && (
        <span className="grid shrink-0 grid-cols-[repeat(4,3.25rem)_4rem] justify-items-start text-sm">
          <Act
            words="Next"
            of={title}
            title={trains ? "What trains now waits again after its epoch" : "It has the next turn"}
            disabled={busy}
            onPress={() => void move("next")}
          />
          <Act
            words="Earlier"
            of={title}
            disabled={busy || place === 0}
            onPress={() => void move("earlier")}
          />
          <Act
            words="Later"
            of={title}
            disabled={busy || place === count - 1}
            onPress={() => void move("later")}
          />
          <Act
            words={entry.held ? "Let go" : "Hold"}
            of={title}
            title={
              entry.held ? "It has its turn again" : "It keeps its place and has no turn until it is let go"
            }
            disabled={busy}
            onPress={() => void move(entry.held ? "let-go" : "hold")}
          />
          <Act
            words="Take out"
            of={title}
            title="It ends without being trained; start it again from the run"
            disabled={busy}
            onPress={() => void takeOut()}
          />
        </span>
      )}
    </li>
  );
}

function useMoves(entry: QueuedRun) {
  const { fail } = useNotices();
  const queries = useQueryClient();
  const [busy, setBusy] = useState(false);
  const doing = async (work: () => Promise<unknown>) => {
    setBusy(true);
    try {
      await work();
      await queries.invalidateQueries({ queryKey: ["queue"] });
    } catch (error) {
      fail(error);
    }
    setBusy(false);
  };
  return {
    busy,
    move: (move: QueueMove) =>
      doing(() =>
        need(
          client.POST("/api/runs/{run_id}/queue", {
            params: { path: { run_id: entry.run_id } },
            body: { move },
          }),
        ),
      ),
    takeOut: () =>
      doing(() =>
        need(client.POST("/api/jobs/{job_id}/stop", { params: { path: { job_id: entry.job_id } } })),
      ),
  };
}

interface ActProps {
  words: string;
  /** What it is done to, for those who hear the page. */
  of: string;
  title?: string;
  disabled: boolean;
  onPress: () => void;
}

function Act({ words, of, title, disabled, onPress }: ActProps) {
  return (
    <button
      type="button"
      aria-label={`${words}: ${of}`}
      title={title}
      disabled={disabled}
      onClick={onPress}
      className="min-h-6 text-choice enabled:cursor-pointer enabled:hover:underline disabled:text-quiet disabled:opacity-45"
    >
      {words}
    </button>
  );
}
