/** The queue in words. */
import { describe, expect, it } from "vitest";
import type { QueuedRun } from "../src/api/client";
import { queuedTitle, queuedWords, queueWords, waitingRuns } from "../src/domain/queue";

function queued(facts: Partial<QueuedRun>): QueuedRun {
  return {
    run_id: 4,
    job_id: 9,
    number: 2,
    name: "",
    project_id: 1,
    project_name: "Ridge",
    training: false,
    held: false,
    pausing: false,
    epochs_done: 0,
    epochs: 30,
    begins_s: null,
    ends_s: null,
    ...facts,
  };
}

describe("the queue", () => {
  it("names a run, and its project where that is another", () => {
    expect(queuedTitle(queued({}), 1)).toBe("Run 2");
    expect(queuedTitle(queued({ name: "warmer" }), 7)).toBe("Run 2, warmer of Ridge");
  });

  it("says when a run is expected to begin and to end", () => {
    expect(queuedWords(queued({ begins_s: 240, ends_s: 600 }))).toBe("begins in 4 min, done in 10 min");
    expect(queuedWords(queued({ begins_s: 0, ends_s: 60 }))).toBe("begins next, done in 60 s");
    expect(queuedWords(queued({ training: true, ends_s: 30 }))).toBe("trains now, done in 30 s");
    expect(queuedWords(queued({ training: true, pausing: true }))).toBe("waits again after this epoch");
    expect(queuedWords(queued({ held: true, epochs_done: 4 }))).toBe("paused after 4 epochs of 30, held");
    expect(queuedWords(queued({}))).toBe("");
  });

  it("is summed up with the end of all that is not held", () => {
    const one = queued({ training: true, ends_s: 30 });
    const two = queued({ ends_s: 90 });
    expect(queueWords([one, two, queued({ held: true })])).toBe(
      "Queue: 1 trains, 2 wait, 1 held, done in 2 min",
    );
    expect(queueWords([one, queued({})])).toBe("Queue: 1 trains, 1 waits");
  });

  it("is what waits", () => {
    expect(waitingRuns([queued({ training: true }), queued({ run_id: 5 })]).map((run) => run.run_id)).toEqual(
      [5],
    );
  });
});
