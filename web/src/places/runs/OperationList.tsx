/** The operations of a variation, by family: switched on and off, and opened for their range and chance. */
import { Disclosure, DisclosureButton, DisclosurePanel, Switch } from "@headlessui/react";
import type { Operation, OperationKind, Variation } from "../../api/client";
import { passage } from "../../domain/guide";
import { chanceWords, FAMILIES, rangeWords, started, withOperation } from "../../domain/variation";
import { Help } from "../../parts/Help";
import { NumberField } from "../../parts/NumberField";

interface Props {
  kinds: readonly OperationKind[];
  variation: Variation;
  grey: boolean;
  onChange: (variation: Variation) => void;
}

export function OperationList({ kinds, variation, grey, onChange }: Props) {
  return (
    <div data-testid="operations">
      {FAMILIES.map((family) => (
        <section key={family} className="mb-2">
          <h3 className="border-b border-hairline pb-0.5 text-sm font-semibold text-quiet">{family}</h3>
          {kinds
            .filter((kind) => kind.family === family)
            .map((kind) => (
              <Entry
                key={kind.name}
                kind={kind}
                operation={variation.operations.find((entry) => entry.kind === kind.name)}
                byDraw={!!variation.drawn && family !== "mixing"}
                impossible={grey && kind.needs_colour}
                onChange={(operation) => onChange(withOperation(variation, kind.name, operation))}
              />
            ))}
        </section>
      ))}
    </div>
  );
}

interface EntryProps {
  kind: OperationKind;
  operation: Operation | undefined;
  byDraw: boolean;
  impossible: boolean;
  onChange: (operation: Operation | undefined) => void;
}

function Entry({ kind, operation, byDraw, impossible, onChange }: EntryProps) {
  const name = kind.name.replaceAll("-", " ");
  return (
    <Disclosure as="div" className="border-b border-hairline/60 py-1 last:border-0">
      <div className="flex items-center gap-2">
        <Switch
          checked={!!operation}
          disabled={impossible && !operation}
          onChange={(on) => onChange(on ? started(kind) : undefined)}
          aria-label={name}
          title={impossible ? "The network sees grey pictures: there is no colour to change." : kind.does}
          className="h-4 w-7 shrink-0 cursor-pointer border border-edge bg-sunken data-checked:border-choice data-checked:bg-choice data-disabled:cursor-default data-disabled:opacity-40"
        >
          <span className={`block h-full w-3 ${operation ? "translate-x-3.5 bg-surface" : "bg-edge"}`} />
        </Switch>
        <DisclosureButton
          className="flex min-w-0 flex-1 cursor-pointer items-baseline gap-2 text-left"
          title={kind.does}
        >
          <span className={operation ? "" : "text-quiet"}>{name}</span>
          <span className="ml-auto truncate font-mono text-xs text-quiet">
            {operation
              ? [rangeWords(kind, operation), byDraw ? "" : chanceWords(operation.probability)]
                  .filter(Boolean)
                  .join(", ")
              : ""}
          </span>
          <span aria-hidden="true" className="text-sm text-choice ui-open:rotate-90">
            ›
          </span>
        </DisclosureButton>
      </div>
      <DisclosurePanel className="pt-1 pl-9 text-sm">
        <p>{kind.does}</p>
        <p className="mb-1.5 text-quiet">
          <Help guide={passage("variation", kind.name)}>{kind.caution}</Help>
        </p>
        {operation && <Detail kind={kind} operation={operation} byDraw={byDraw} onChange={onChange} />}
      </DisclosurePanel>
    </Disclosure>
  );
}

interface DetailProps {
  kind: OperationKind;
  operation: Operation;
  byDraw: boolean;
  onChange: (operation: Operation) => void;
}

function Detail(props: DetailProps) {
  return (
    <>
      {props.kind.ranged && <Range {...props} />}
      {!props.byDraw && <Chance {...props} />}
    </>
  );
}

function Range({ kind, operation, onChange }: DetailProps) {
  const { low = 0, high = 0 } = operation;
  const limits = `${kind.least} to ${kind.most} ${kind.unit}`;
  if (kind.one_value)
    return (
      <NumberField
        label="Concentration"
        help={limits}
        value={low}
        min={kind.least}
        max={kind.most}
        step="any"
        onChange={(value) => onChange({ ...operation, low: value, high: value })}
      />
    );
  return (
    <>
      <NumberField
        label="From"
        help={limits}
        value={low}
        min={kind.least}
        max={Math.min(kind.most, high)}
        step="any"
        onChange={(value) => onChange({ ...operation, low: value })}
      />
      <NumberField
        label="To"
        help={`${low} to ${kind.most}`}
        value={high}
        min={Math.max(kind.least, low)}
        max={kind.most}
        step="any"
        onChange={(value) => onChange({ ...operation, high: value })}
      />
    </>
  );
}

function Chance({ operation, onChange }: DetailProps) {
  return (
    <label className="flex items-center gap-2">
      Chance
      <input
        type="range"
        min={0}
        max={100}
        value={Math.round(operation.probability * 100)}
        onChange={(event) => onChange({ ...operation, probability: Number(event.target.value) / 100 })}
        className="min-w-0 flex-1 accent-choice"
      />
      <span className="w-14 text-right font-mono">{chanceWords(operation.probability)}</span>
    </label>
  );
}
