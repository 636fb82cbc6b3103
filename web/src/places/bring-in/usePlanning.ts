/** What is chosen of a source, the plan that follows from it, and the way from there into the project. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { asProblemOf, type Choice, client, type Import, need, type Survey } from "../../api/client";
import { usePlan } from "../../api/queries";
import { EVERYTHING } from "../../domain/plan";
import { useNotices } from "../../parts/Notices";

export function usePlanning(entry: Import, survey: Survey) {
  const proposed = { ...EVERYTHING, ...(entry.choice ?? survey.readings[0]?.choice) };
  const [choice, setChoice] = useState<Choice>(proposed);
  const plan = usePlan(entry.id, useSettled(choice));
  const bringIn = useBringIn(entry.id);
  const stale = plan.isError || plan.isPlaceholderData;
  const ready = !stale && !!plan.data?.chosen && !bringIn.asked;
  const start = () => void (ready && bringIn.ask(choice));

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== "Enter" || !(event.ctrlKey || event.metaKey)) return;
      event.preventDefault();
      start();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });

  const problem = plan.isError ? asProblemOf(plan.error) : undefined;
  return { choice, setChoice, plan: plan.data, busy: plan.isPlaceholderData, stale, problem, ready, start };
}

/** Asks for the import once; until that is answered it cannot be asked for again. */
function useBringIn(importId: number) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [asked, setAsked] = useState(false);
  const ask = async (choice: Choice) => {
    setAsked(true);
    try {
      const params = { path: { import_id: importId } };
      await need(client.POST("/api/imports/{import_id}/bring-in", { params, body: choice }));
      await queries.invalidateQueries({ queryKey: ["jobs"] });
    } catch (error) {
      fail(error);
    }
    await queries.invalidateQueries({ queryKey: ["imports"] });
    setAsked(false);
  };
  return { asked, ask };
}

/** What is typed counts once the typing pauses. */
function useSettled(choice: Choice): Choice {
  const [settled, setSettled] = useState(choice);
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(choice), 150);
    return () => window.clearTimeout(timer);
  }, [choice]);
  return settled;
}
