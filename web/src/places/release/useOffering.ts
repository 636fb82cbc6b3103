/** What is done to models on offer. */
import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { client, need, type Offer } from "../../api/client";
import { STATE_WORDS } from "../../domain/offers";
import { useNotices } from "../../parts/Notices";

export interface OfferWords {
  readonly name: string;
  readonly purpose: string;
  readonly limits: string;
  readonly note: string;
}

type Change = Partial<Pick<Offer, "purpose" | "limits" | "note" | "state">>;

/** Each is true if it was done. */
export function useOffering(projectId: number) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  return useMemo(() => {
    const attempt = async (step: Promise<Offer>, words: (done: Offer) => string): Promise<boolean> => {
      try {
        say(words(await step));
        return true;
      } catch (error) {
        fail(error);
        return false;
      } finally {
        void queries.invalidateQueries({ queryKey: ["offers"] });
      }
    };
    const told = (offer: Offer) => `${offer.name}, version ${offer.version}`;
    return {
      offer: (modelId: number, words: OfferWords) =>
        attempt(
          need(
            client.POST("/api/models/{model_id}/offers", {
              params: { path: { model_id: modelId } },
              body: { ...words },
            }),
          ),
          (done) => `${told(done)}, is on offer. It is private until it is put in use.`,
        ),
      change: (offer: Offer, change: Change) =>
        attempt(
          need(
            client.PATCH("/api/offers/{offer_id}", {
              params: { path: { offer_id: offer.id } },
              body: change as Required<Change>,
            }),
          ),
          (done) =>
            change.state ? `${told(done)}, is ${STATE_WORDS[done.state]}.` : `${told(done)}, is described.`,
        ),
      goBack: (name: string) =>
        attempt(
          need(
            client.POST("/api/projects/{project_id}/offers/back", {
              params: { path: { project_id: projectId } },
              body: { name },
            }),
          ),
          (done) => `${told(done)}, is in use again.`,
        ),
    };
  }, [projectId, queries, say, fail]);
}

export type Offering = ReturnType<typeof useOffering>;
