/** The models on offer: by name, in versions of which one is in use. */
import { useState } from "react";
import type { Offer } from "../../api/client";
import { useOffers } from "../../api/offerQueries";
import { usePlace } from "../../app/context";
import { byName, type Named, rightWords, STATE_WORDS } from "../../domain/offers";
import { moment } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Empty, Failed, Reading } from "../../parts/States";
import { FactsSheet } from "./FactsSheet";
import { type Offering, useOffering } from "./useOffering";

export function Offers() {
  const { project } = usePlace();
  const offers = useOffers(project.id);
  const offering = useOffering(project.id);
  const [open, setOpen] = useState<number>();
  if (offers.error) return <Failed error={offers.error} onRetry={() => void offers.refetch()} />;
  if (!offers.data) return <Reading what="the models on offer" />;
  if (!offers.data.length) {
    return (
      <Empty title="No model is on offer">
        <p>
          Put the model of a run on the list, beside: under a name, with what it is for and where it errs. It
          is private until it is put in use, and every later one under the same name is its next version.
        </p>
      </Empty>
    );
  }
  const shown = offers.data.find((offer) => offer.id === open);
  return (
    <div className="min-h-0 flex-1 overflow-y-auto px-4 py-2" data-testid="offers">
      {byName(offers.data).map((named) => (
        <NamedModel key={named.name} named={named} offering={offering} onFacts={setOpen} />
      ))}
      {shown && <FactsSheet offer={shown} offering={offering} onClose={() => setOpen(undefined)} />}
    </div>
  );
}

interface NamedProps {
  named: Named;
  offering: Offering;
  onFacts: (id: number) => void;
}

function NamedModel({ named, offering, onFacts }: NamedProps) {
  const { name, versions, former } = named;
  return (
    <section className="mb-5" aria-label={name}>
      <div className="flex items-baseline gap-3">
        <h2 className="text-lg font-semibold">{name}</h2>
        {former && (
          <Button kind="bare" onClick={() => void offering.goBack(name)}>
            Go back to version {former.version}
          </Button>
        )}
      </div>
      <ul>
        {versions.map((offer) => (
          <Version key={offer.id} offer={offer} offering={offering} onFacts={() => onFacts(offer.id)} />
        ))}
      </ul>
    </section>
  );
}

interface VersionProps {
  offer: Offer;
  offering: Offering;
  onFacts: () => void;
}

function Version({ offer, offering, onFacts }: VersionProps) {
  const used = offer.state === "in_use";
  return (
    <li
      className={`grid grid-cols-[84px_1fr_auto] items-start gap-x-4 border-t border-hairline py-2 ${used ? "bg-good-wash" : ""} px-2`}
      data-testid="offer"
      data-state={offer.state}
    >
      <span>
        <b>Version {offer.version}</b>
        <span className={`block text-sm ${used ? "font-semibold text-good" : "text-quiet"}`}>
          {STATE_WORDS[offer.state]}
        </span>
      </span>
      <span className="min-w-0">
        {offer.purpose && <span className="block truncate">{offer.purpose}</span>}
        <span className="block text-sm text-quiet">
          {rightWords(offer)}; run {offer.run_number}, {offer.classes.length} classes, weights{" "}
          <span className="font-mono">{offer.digest?.slice(0, 10)}</span>
          {offer.used_at && `; came into use ${moment(offer.used_at)}`}
        </span>
      </span>
      <span className="flex gap-2">
        <Button kind="bare" onClick={onFacts}>
          Facts
        </Button>
        {used ? (
          <Button onClick={() => void offering.change(offer, { state: "put_away" })}>Put away</Button>
        ) : (
          <Button onClick={() => void offering.change(offer, { state: "in_use" })}>Put in use</Button>
        )}
      </span>
    </li>
  );
}
