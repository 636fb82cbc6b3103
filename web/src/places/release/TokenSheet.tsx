/** Makes a token: for whom, for which models, how much and until when; its secret is shown once. */
import { Checkbox, Field, Label } from "@headlessui/react";
import { useState } from "react";
import { client, need, type Served } from "../../api/client";
import { visitLink } from "../../domain/served";
import { Button } from "../../parts/Button";
import { Sheet } from "../../parts/Sheet";
import { SheetForm } from "../../parts/SheetForm";
import { TextField } from "../../parts/TextField";
import { CopyButton } from "./Serving";

const FIELD = "rounded-control border border-edge bg-surface px-2 py-1";

export function TokenSheet({ served, onClose }: { served: Served; onClose: () => void }) {
  const [name, setName] = useState("");
  const [all, setAll] = useState(true);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [perMinute, setPerMinute] = useState("");
  const [until, setUntil] = useState("");
  const [secret, setSecret] = useState<string>();
  const models = served.models.filter((one) => chosen.has(one.slug));
  if (secret) {
    const asked = all ? served.models : models;
    return (
      <SecretSheet name={name} secret={secret} address={served.address} models={asked} onClose={onClose} />
    );
  }
  const make = async () => {
    const made = await need(
      client.POST("/api/tokens", {
        body: {
          name,
          offers: all ? null : models.map((one) => ({ project: one.project_id, name: one.name })),
          per_minute: perMinute ? Number(perMinute) : null,
          expires_at: until ? new Date(`${until}T23:59:59`).toISOString() : null,
        },
      }),
    );
    setSecret(made.secret);
  };
  return (
    <SheetForm
      title="Make a token"
      action="Make it"
      ready={!!name.trim() && (all || models.length > 0) && (!perMinute || Number(perMinute) >= 1)}
      stays
      onClose={onClose}
      onSubmit={make}
    >
      <TextField autoFocus label="Whom it is for" value={name} most={100} onChange={setName} />
      <fieldset className="mb-2">
        <legend className="mb-1 text-quiet">What it may ask, whichever version is in use</legend>
        <Ticked words="Every model that is served, now and later" on={all} onChange={setAll} />
        {!all &&
          served.models.map((one) => (
            <Ticked
              key={one.slug}
              words={one.name}
              on={chosen.has(one.slug)}
              onChange={(on) => {
                const next = new Set(chosen);
                if (on) next.add(one.slug);
                else next.delete(one.slug);
                setChosen(next);
              }}
            />
          ))}
      </fieldset>
      <div className="grid grid-cols-2 gap-3">
        <label className="flex flex-col gap-1">
          <span className="text-quiet">Pictures a minute; empty: as there is room</span>
          <input
            type="number"
            min={1}
            value={perMinute}
            onChange={(event) => setPerMinute(event.target.value)}
            className={FIELD}
          />
        </label>
        <label className="flex flex-col gap-1">
          <span className="text-quiet">Last day; empty: until it is taken back</span>
          <input
            type="date"
            value={until}
            onChange={(event) => setUntil(event.target.value)}
            className={FIELD}
          />
        </label>
      </div>
    </SheetForm>
  );
}

function Ticked({ words, on, onChange }: { words: string; on: boolean; onChange: (on: boolean) => void }) {
  return (
    <Field className="flex items-center gap-2">
      <Checkbox
        checked={on}
        onChange={onChange}
        className="size-4 cursor-pointer border border-edge bg-surface data-checked:bg-choice"
      />
      <Label className="cursor-pointer">{words}</Label>
    </Field>
  );
}

interface SecretProps {
  name: string;
  secret: string;
  address: string;
  models: Served["models"];
  onClose: () => void;
}

function SecretSheet({ name, secret, address, models, onClose }: SecretProps) {
  return (
    <Sheet title={`The token for ${name}`} open onClose={onClose} middle>
      <p className="mb-2">
        This is the only time that it is shown: of it a hash is kept. Whoever has it is let in, so hand it
        over as you would a key.
      </p>
      <p className="mb-3 bg-sunken px-3 py-2 font-mono text-sm break-all" data-testid="secret">
        {secret}
      </p>
      {models.map((one) => (
        <div key={one.slug} className="mb-3">
          <p className="mb-1 flex items-center justify-between gap-2">
            <span>
              A page for visitors of <b>{one.name}</b>
            </span>
            <CopyButton text={visitLink(address, one.slug, secret)} />
          </p>
          <a
            className="block truncate font-mono text-sm text-choice underline"
            href={visitLink(address, one.slug, secret)}
            target="_blank"
            rel="noreferrer"
          >
            {visitLink(address, one.slug, secret)}
          </a>
        </div>
      ))}
      <div className="flex justify-end gap-2">
        <CopyButton text={secret} />
        <Button kind="main" onClick={onClose}>
          Done
        </Button>
      </div>
    </Sheet>
  );
}
