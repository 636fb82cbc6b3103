/** The settings of preprocessing, each with what it does and what it costs. */
import type { ReactNode } from "react";
import type { Preprocessing, Recipe } from "../../api/client";
import { useInputSize } from "../../api/ingredientQueries";
import { lessonOf } from "../../domain/network";
import { INPUT_SIZES, short } from "../../domain/recipe";
import { Choice } from "../../parts/Choice";
import { Help } from "../../parts/Help";
import { NumberField } from "../../parts/NumberField";
import { useNetworkShown } from "./useNetworkShown";

interface Props {
  projectId: number;
  preprocessing: Preprocessing;
  recipe: Recipe;
  onChange: (next: Preprocessing) => void;
}

type Change = (part: Partial<Preprocessing>) => void;

export function PreprocessingFields(props: Props) {
  const { preprocessing: now, onChange } = props;
  const change: Change = (part) => onChange({ ...now, ...part });
  return (
    <>
      <Side {...props} change={change} />
      <Explained
        guide="preprocessing#fit"
        words="Distort if proportions are no clue; border keeps them and all of the picture; middle keeps them and cuts the ends off."
      >
        <Choice
          label="Fit"
          value={now.fit ?? "distort"}
          onChange={(fit) => change({ fit })}
          options={[
            { value: "distort", label: "distort", title: "The whole picture, stretched to the square" },
            { value: "border", label: "border", title: "The whole picture with a border beside it" },
            { value: "middle", label: "middle", title: "The largest square in its middle" },
          ]}
        />
      </Explained>
      <Choice
        label="Colour"
        value={now.colour}
        onChange={(colour) => change({ colour })}
        options={[
          { value: "rgb", label: "colour" },
          { value: "grey", label: "grey" },
        ]}
      />
      {now.fit === "border" && (
        <Colour label="Border" value={now.border} onChange={(border) => change({ border })} />
      )}
      <Colour label="Under transparent parts" value={now.ground} onChange={(ground) => change({ ground })} />
      <ScaleAndViews {...{ now, change }} />
    </>
  );
}

function ScaleAndViews({ now, change }: { now: Preprocessing; change: Change }) {
  return (
    <>
      <Explained
        guide="preprocessing#scale"
        words="Mean and deviation are computed from training pictures only and kept with the run."
      >
        <Choice
          label="Scale"
          value={now.scale ?? "deviation"}
          onChange={(scale) => change({ scale })}
          options={[
            { value: "deviation", label: "by deviation", title: "By mean and deviation of each channel" },
            { value: "unit", label: "0 to 1", title: "0 to 1" },
            { value: "signed", label: "−1 to 1", title: "Minus 1 to 1" },
          ]}
        />
      </Explained>
      <Explained
        guide="preprocessing#views"
        words="One is usual. The others average over copies when judging, trying and in the export; training stays as it is, an answer takes two or four times as long."
      >
        <Choice
          label="Answers on"
          value={now.views ?? "one"}
          onChange={(views) => change({ views })}
          options={[
            { value: "one", label: "one", title: "The picture alone" },
            { value: "mirrored", label: "mirrored", title: "The mean of it and its mirror image" },
            { value: "turned", label: "turned", title: "The mean of it in four quarter turns" },
          ]}
        />
      </Explained>
    </>
  );
}

function Explained({ words, guide, children }: { words: string; guide: string; children: ReactNode }) {
  return (
    <div>
      {children}
      <p className="mt-1 text-sm text-quiet">
        <Help guide={guide}>{words}</Help>
      </p>
    </div>
  );
}

function Side({ projectId, preprocessing, recipe, change }: Props & { change: Change }) {
  const { size } = preprocessing;
  const { network } = recipe;
  const found = useNetworkShown(projectId, network, lessonOf(recipe));
  return (
    <div>
      <Choice
        label="Side, pixels"
        value={size}
        onChange={(next) => change({ size: next })}
        options={INPUT_SIZES.map((value) => ({ value, label: value, title: `${value} pixels` }))}
      />
      <div className="mt-2">
        <NumberField
          label="Another side"
          help="8 to 512. Twice the side costs four times the time."
          guide="preprocessing#side"
          value={size}
          min={8}
          max={512}
          onChange={(next) => change({ size: next })}
        />
      </div>
      {found && !found.wrong && <Cost name={network} multiplyAdds={found.multiply_adds} />}
      <Proposal {...{ projectId, size }} onTake={(next) => change({ size: next })} />
    </div>
  );
}

function Cost({ name, multiplyAdds }: { name: string; multiplyAdds: number }) {
  return (
    <p className="text-sm text-quiet">
      {name} then takes {short(multiplyAdds)} multiply-adds a picture.
    </p>
  );
}

function Proposal(props: { projectId: number; size: number; onTake: (size: number) => void }) {
  const { data: proposal } = useInputSize(props.projectId);
  if (!proposal) return null;
  return (
    <p className="mt-1 text-sm text-quiet" data-testid="proposal">
      {proposal.because}{" "}
      {proposal.size === props.size ? (
        <b>That is the proposal.</b>
      ) : (
        <button
          type="button"
          className="cursor-pointer text-choice underline"
          onClick={() => props.onTake(proposal.size)}
        >
          Take {proposal.size}
        </button>
      )}
    </p>
  );
}

function hex(colour: readonly number[] | undefined): string {
  return `#${(colour ?? [0, 0, 0]).map((value) => value.toString(16).padStart(2, "0")).join("")}`;
}

function Colour(props: {
  label: string;
  value: readonly number[] | undefined;
  onChange: (value: number[]) => void;
}) {
  return (
    <label className="flex items-center gap-2">
      <span className="text-quiet">{props.label}</span>
      <input
        type="color"
        value={hex(props.value)}
        onChange={(event) =>
          props.onChange([1, 3, 5].map((at) => Number.parseInt(event.target.value.slice(at, at + 2), 16)))
        }
        className="h-6 w-12 cursor-pointer border border-edge"
      />
    </label>
  );
}
