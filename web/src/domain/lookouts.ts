/** What follows a training and says what is wrong with it: in what order, in which words, and what mends it. */
import type { Lookout, LookoutKind, OwnLookout, Watch } from "../api/client";
import { plural } from "./words";

export type Act = Lookout["act"];

export const QUESTIONS: readonly { readonly id: Lookout["question"]; readonly words: string }[] = [
  { id: "moves", words: "Does it move?" },
  { id: "parts", words: "Are all its parts at work?" },
  { id: "right", words: "Does it learn the right thing?" },
  { id: "own", words: "Your own" },
];

export const ACTS: readonly { readonly value: Act; readonly label: string; readonly title: string }[] = [
  { value: "say", label: "says it", title: "It stands beside the run" },
  { value: "word", label: "sends word", title: "And its word is sent, as at the end of the run" },
  { value: "end", label: "ends the run", title: "After the epoch in which it finds something" },
];

/** The questions that have lookouts, with them. */
export function byQuestion<T extends { readonly question: string }>(
  lookouts: readonly T[],
): readonly { readonly id: string; readonly words: string; readonly lookouts: readonly T[] }[] {
  return QUESTIONS.map((question) => ({
    ...question,
    lookouts: lookouts.filter((entry) => entry.question === question.id),
  })).filter((question) => question.lookouts.length > 0);
}

/** Causes before what they lead to: a rate that is far too high also puts units to sleep, and nothing is learnt then. */
const CAUSES =
  "away rate first pinned asleep apart unmoved easy unequal few heart one never swallowed nothing still unfinished".split(
    " ",
  );

/** What was found, the cause first; before all of it what ended the run. */
export function found(lookouts: readonly Lookout[], ended: string): readonly Lookout[] {
  const rank = (entry: Lookout) => (entry.id === ended ? -1 : CAUSES.indexOf(entry.id));
  return lookouts.filter((entry) => entry.standing === "found").sort((one, other) => rank(one) - rank(other));
}

function short(value: number): string {
  return String(Number(value.toPrecision(2)));
}

/** How a lookout stands, for the eye and for those who cannot see it. */
export function standingWords(lookout: Lookout): string {
  const against =
    lookout.value === null || lookout.bound === null
      ? ""
      : `, ${short(lookout.value)} against ${short(lookout.bound)}`;
  switch (lookout.standing) {
    case "early":
      return "too early to say";
    case "quiet":
      return `quiet${against}`;
    case "found":
      return `since epoch ${lookout.since ?? "?"}${lookout.where ? `, ${lookout.where}` : ""}`;
  }
}

/** All of them in one line. */
export function lookoutsWords(lookouts: readonly Lookout[]): string {
  const count = (standing: string) => lookouts.filter((entry) => entry.standing === standing).length;
  const said = [
    count("found") ? `${plural(count("found"), "lookout")} found something` : "",
    count("quiet") ? `${count("quiet")} quiet` : "",
    count("early") ? `${count("early")} too early to say` : "",
  ].filter(Boolean);
  return said.join(", ");
}

/** What is set differently from the default, in a line. */
export function watchWords(watch: Watch): string {
  const acts = [...Object.values(watch.acts), ...watch.own.map((entry) => entry.act)];
  const ends = acts.filter((act) => act === "end").length;
  const own = watch.own.length ? `${plural(watch.own.length, "lookout")} of your own` : "";
  const ending = ends ? `${ends} can end it` : "none ends it";
  const layers = watch.every ? "" : "layers not recorded";
  return ["watched", own, ending, layers].filter(Boolean).join(", ");
}

/** Without those that only say it: that is what they do unless something else was chosen. */
export function withAct(watch: Watch, id: string, act: Act): Watch {
  const { [id]: _, ...others } = watch.acts;
  return { ...watch, acts: act === "say" ? others : { ...others, [id]: act } };
}

export const OWN_FIGURES: readonly {
  readonly figure: string;
  readonly words: string;
  readonly layers: boolean;
}[] = [
  { figure: "training_loss", words: "training loss", layers: false },
  { figure: "training_accuracy", words: "training accuracy", layers: false },
  { figure: "validation_loss", words: "validation loss", layers: false },
  { figure: "validation_accuracy", words: "validation accuracy", layers: false },
  { figure: "validation_macro_f1", words: "validation macro F1", layers: false },
  { figure: "learning_rate", words: "learning rate", layers: false },
  { figure: "weight", words: "weights, root mean square", layers: true },
  { figure: "gradient", words: "gradients, root mean square", layers: true },
  { figure: "update", words: "update over weight", layers: true },
  { figure: "mean", words: "mean of the values", layers: true },
  { figure: "deviation", words: "deviation of the values", layers: true },
  { figure: "zeros", words: "share of zeros", layers: true },
  { figure: "asleep", words: "share of units asleep", layers: true },
  { figure: "pinned", words: "share of pinned values", layers: true },
];

export function isOfLayers(figure: string): boolean {
  return OWN_FIGURES.some((entry) => entry.figure === figure && entry.layers);
}

export const FIRST_OWN: OwnLookout = {
  name: "",
  figure: "validation_loss",
  layer: "",
  sign: "above",
  value: 2,
  epochs: 3,
  act: "say",
};

/** A lookout of one's own as a sentence. */
export function ownWords(own: OwnLookout): string {
  const figure = OWN_FIGURES.find((entry) => entry.figure === own.figure);
  const where = figure?.layers ? ` of ${own.layer || "any layer"}` : "";
  return `${figure?.words ?? own.figure}${where} ${own.sign} ${own.value} for ${plural(own.epochs, "epoch")} in a row`;
}

/** Why a lookout of one's own cannot be kept yet; empty if it can. */
export function ownProblem(
  own: OwnLookout,
  others: readonly OwnLookout[],
  kinds: readonly LookoutKind[],
): string {
  const name = own.name.trim().toLowerCase();
  if (!name) return "Give it a name.";
  const taken = [...others.map((entry) => entry.name), ...kinds.map((entry) => entry.words)];
  return taken.some((entry) => entry.toLowerCase() === name) ? "Another lookout is called that." : "";
}
