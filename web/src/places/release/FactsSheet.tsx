/** What is to be known of a model on offer, what is said of it, and whether it still answers as it did. */
import { useState } from "react";
import { type Agreement, client, need, type Offer } from "../../api/client";
import { areaFrom, areaWords } from "../../domain/area";
import { agreementWords, rightWords, STATE_WORDS } from "../../domain/offers";
import { preprocessingWords } from "../../domain/recipe";
import { moment, plural } from "../../domain/words";
import { Button, buttonLook } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { Sheet } from "../../parts/Sheet";
import { OfferFields, type OfferWords } from "./OfferFields";
import type { Offering } from "./useOffering";

interface Props {
  offer: Offer;
  offering: Offering;
  onClose: () => void;
}

export function FactsSheet({ offer, offering, onClose }: Props) {
  const { purpose, limits, note } = offer;
  const [words, setWords] = useState<OfferWords>({ purpose, limits, note });
  const same = words.purpose === purpose && words.limits === limits && words.note === note;
  return (
    <Sheet title={`${offer.name}, version ${offer.version}`} open onClose={onClose}>
      <Facts offer={offer} />
      <Agrees modelId={offer.model_id} />
      <OfferFields words={words} onChange={setWords} />
      <div className="flex items-center justify-end gap-2">
        <a
          className={`${buttonLook("bare")} mr-auto`}
          href={`/api/models/${offer.model_id}/report.html`}
          download
        >
          Report
        </a>
        <Button onClick={onClose}>Close</Button>
        <Button
          kind="main"
          disabled={same}
          onClick={() => void offering.change(offer, words).then((done) => done && onClose())}
        >
          Keep
        </Button>
      </div>
    </Sheet>
  );
}

function Facts({ offer }: { offer: Offer }) {
  const seen = offer.preprocessing as Parameters<typeof preprocessingWords>[0];
  const facts: readonly (readonly [string, string])[] = [
    [
      "state",
      `${STATE_WORDS[offer.state]}${offer.used_at ? `, came into use ${moment(offer.used_at)}` : ""}`,
    ],
    ["classes", offer.classes.join(", ")],
    ["right", rightWords(offer)],
    ["test set", offer.looks ? `looked at ${plural(offer.looks, "time")}` : "never looked at"],
    ["sees", preprocessingWords(seen)],
    ["of a picture", areaWords(areaFrom(seen.area))],
    ["from", `run ${offer.run_number}, put on offer ${moment(offer.created_at)}`],
    ["weights", offer.digest ?? ""],
  ];
  return (
    <dl className="mb-3 grid grid-cols-[84px_1fr] gap-y-0.5" data-testid="offer-facts">
      {facts.map(([name, words]) => (
        <div key={name} className="contents">
          <dt className="text-quiet">{name}</dt>
          <dd className={name === "weights" ? "font-mono text-sm wrap-anywhere" : ""}>{words}</dd>
        </div>
      ))}
    </dl>
  );
}

/** Asked for: it reads pictures and has the network answer. */
function Agrees({ modelId }: { modelId: number }) {
  const { fail } = useNotices();
  const [found, setFound] = useState<Agreement>();
  const [busy, setBusy] = useState(false);
  const ask = () => {
    setBusy(true);
    need(client.POST("/api/models/{model_id}/agreement", { params: { path: { model_id: modelId } } }))
      .then(setFound)
      .catch(fail)
      .finally(() => setBusy(false));
  };
  return (
    <p className="mb-3 flex items-center gap-3" role="status" data-testid="agreement">
      <Button disabled={busy} onClick={ask}>
        Does it still agree?
      </Button>
      <span className={found && !found.agrees ? "text-wrong" : "text-quiet"}>
        {busy && "Answering stored pictures again …"}
        {!busy && found && agreementWords(found)}
        {!busy && !found && "Answers stored pictures again, here and now."}
      </span>
    </p>
  );
}
