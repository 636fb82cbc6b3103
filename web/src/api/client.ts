/** The typed client of the API, and the one form in which its failures reach a person. */
import createClient from "openapi-fetch";
import type { Start } from "../domain/start";
import { signalOfLeaving } from "./leaving";
import { patientFetch } from "./patience";
import { Problem } from "./problem";
import type { components, paths } from "./schema";

export { Problem };

type Schemas = components["schemas"];
export type Project = Schemas["ProjectRead"];
export type BinnedRun = Schemas["BinnedRunRead"];
export type Proposal = Schemas["ProposalRead"];
export type SampleSize = Schemas["SampleCreate"];
export type ProjectGlimpse = Schemas["ProjectGlimpseRead"];
export type ClassOf = Schemas["ClassRead"];
export type Picture = Schemas["PictureRead"];
export type PictureDetail = Schemas["PictureDetailRead"];
export type Split = Schemas["SplitRead"];
export type Run = Schemas["RunRead"];
export type Epoch = Schemas["EpochRead"];
export type Sureness = Schemas["SurenessRead"];
export type Calibration = Schemas["CalibrationRead"];
export type Answered = Schemas["AnsweredRead"];
export type Aim = Schemas["AimRead"];
export type UnsureUpdate = Schemas["UnsureUpdate"];
export type Heatmap = Schemas["HeatmapRead"];
export type Comparison = Schemas["RunsComparisonRead"];
export type Slice = Schemas["SliceRead"];
export type Judgement = Schemas["JudgementRead"];
export type Job = Schemas["JobRead"];
/** A recipe as a run holds it. */
export type RunRecipe = Schemas["RecipeRead"];
/** A recipe on the Run sheet. */
export type Recipe = Omit<RunRecipe, "start"> & { readonly start?: Start | undefined };
export type Starter = Schemas["StarterRead"];
export type StartFacts = Schemas["StartFactsRead"];
export type Served = Schemas["ServingRead"];
export type Token = Schemas["TokenRead"];
export type TableClasses = Schemas["TableClassesRead"];
export type NetworkFile = components["schemas"]["NetworkFileRead"];
export type NetworkFileAnswers = components["schemas"]["NetworkFileAnswers"];
export type QueuedRun = Schemas["QueuedRunRead"];
export type QueueMove = Schemas["QueueMove"]["move"];
export type Lookout = Schemas["LookoutRead"];
export type LookoutKind = Schemas["LookoutKindRead"];
export type LookoutTrial = Schemas["LookoutTrialRead"];
export type OwnLookout = Schemas["OwnLookoutRead"];
export type Watch = Schemas["WatchRead"];
export type Layers = Schemas["LayersRead"];
export type EndingTrial = Schemas["EndingTrialRead"];
export type StartPlan = Schemas["StartPlanRead"];
export type StartingModel = Schemas["StartingModelRead"];
export type Model = Schemas["ModelRead"];
export type Setting = Schemas["SettingRead"];
export type TrainingSettings = Schemas["TrainingSettingsRead"];
export type LedgerPage = Schemas["LedgerRead"];
export type LedgerOrder = NonNullable<
  NonNullable<paths["/api/projects/{project_id}/runs"]["get"]["parameters"]["query"]>["order"]
>;
export type Network = Schemas["NetworkRead"];
export type NetworkCheck = Schemas["NetworkCheckRead"];
export type NetworkRemark = Schemas["NetworkRemarkRead"];
export type NetworkPart = Schemas["NetworkPartRead"];
export type Footing = Schemas["FootingRead"];
export type Answer = Schemas["AnswerRead"];
export type Export = Schemas["ExportRead"];
export type Form = Schemas["FormRead"];
export type Offer = Schemas["OfferRead"];
export type Agreement = Schemas["AgreementRead"];
export type Import = Schemas["ImportRead"];
export type ImportEntry = Schemas["ImportEntryRead"];
export type Survey = Schemas["SurveyRead"];
export type ServerFolder = Schemas["ServerFolderRead"];
export type Choice = Required<Schemas["ChoiceBody"]>;
export type Plan = Schemas["PlanRead"];
export type PlannedClass = Schemas["PlannedClassRead"];
export type RunPlan = Schemas["RunPlanRead"];
export type RunPlanSummary = Schemas["RunPlanSummaryRead"];
export type RunPlanCreate = Schemas["RunPlanCreate"];
export type RunPlanSketch = Schemas["RunPlanSketchRead"];
export type Trial = Schemas["TrialRead"];
export type Knob = Schemas["KnobRead"];
export type KnobOffer = Schemas["KnobOfferRead"];
export type KnobOffers = Schemas["KnobOffersRead"];
export type FoldDifference = Schemas["FoldDifferenceRead"];
export type Trainer = Schemas["TrainerRead"];
export type Parcel = Schemas["ParcelRead"];
export type Bin = Schemas["BinRead"];
export type Disk = Schemas["DiskRead"];
export type FieldRowOf = Schemas["FieldRowRead"];
export type CopiesOf = Schemas["CopiesRead"];
export type Findings = Schemas["FindingsRead"];
export type FindingLine = Schemas["FindingLineRead"];
export type Histogram = Schemas["HistogramRead"];
export type PictureFinding = Schemas["PictureFindingRead"];
export type Completion = Schemas["CompletionRead"];
export type Action = Schemas["ActionRead"];
export type Undone = Schemas["UndoRead"];
export type AreaOf = Schemas["AreaRead"];
export type AreaRule = Schemas["AreaRuleRead"];
export type AreaRules = Schemas["AreaRulesRead"];
export type AreaSample = Schemas["AreaSampleRead"];
export type FoundArea = Schemas["FoundAreaRead"];
export type Variation = Recipe["variation"];
export type Preprocessing = Recipe["preprocessing"];
export type OperationKind = Schemas["OperationRead"];
export type Operation = Schemas["OperationUseRead"];
export type Ingredient = Schemas["IngredientRead"];
export type DrawnSheet = Schemas["SheetRead"];
export type SplitChecks = Schemas["SplitChecksRead"];
export type JudgedSet = Schemas["JudgedRead"]["set"];
export type AnswerProposal = Schemas["AnswerProposalRead"];
export type Sentence = Schemas["SentenceRead"];
export type Nearest = Schemas["NearestRead"];
export type SetName = "training" | "validation" | "test";

/** Each window takes back its own steps, so each has an id that lives as long as it does. */
export const windowId: string = (() => {
  const key = "vast-orchard-window";
  const known = sessionStorage.getItem(key);
  if (known) return known;
  const made = crypto.randomUUID();
  sessionStorage.setItem(key, made);
  return made;
})();

/** Aborts when this page is left. */
export const leaving = signalOfLeaving(window, () => window.location.reload());

function pageFetch(input: RequestInfo | URL, init: RequestInit = {}): Promise<Response> {
  const own = init.signal ?? (input instanceof Request ? input.signal : undefined);
  return patientFetch(input, { ...init, signal: own ? AbortSignal.any([own, leaving]) : leaving });
}

export const client = createClient<paths>({ baseUrl: "", fetch: pageFetch });
client.use({
  onRequest({ request }) {
    request.headers.set("X-Window", windowId);
    return request;
  },
});

/** The window's header is set for every request; the typed paths still ask for it where the server needs it. */
export const header = { "X-Window": windowId };

function asProblem(body: unknown, status: number): Problem {
  const facts = (typeof body === "object" && body !== null ? body : {}) as {
    detail?: string;
    mend?: string;
    place?: [number, number];
  };
  return new Problem(facts.detail ?? `The server answered ${status}.`, facts.mend ?? "", status, facts.place);
}

/** The data of an answer; a failure is thrown as a `Problem`. */
export async function need<T>(
  answer: Promise<{ data?: T | undefined; error?: unknown; response: Response }>,
): Promise<T> {
  let result: Awaited<typeof answer>;
  try {
    result = await answer;
  } catch {
    throw new Problem("The application does not answer.", "It may be restarting; try again in a moment.", 0);
  }
  if (!result.response.ok) throw asProblem(result.error, result.response.status);
  return result.data as T;
}

/** An answer that is no JSON. */
export async function needBytes(url: string, init?: RequestInit): Promise<ArrayBuffer> {
  let response: Response;
  try {
    response = await pageFetch(url, init);
  } catch (error) {
    if (init?.signal?.aborted) throw error;
    throw new Problem("The application does not answer.", "It may be restarting; try again in a moment.", 0);
  }
  if (!response.ok) throw asProblem(await response.json().catch(() => null), response.status);
  return response.arrayBuffer();
}

/** A multipart request, for which the typed client has no form. */
export async function sendFiles<T>(method: "POST" | "PUT", url: string, body: FormData): Promise<T> {
  const response = await pageFetch(url, { method, body, headers: { "X-Window": windowId } });
  const data: unknown = response.status === 204 ? null : await response.json();
  if (!response.ok) throw asProblem(data, response.status);
  return data as T;
}

export function asProblemOf(error: unknown): Problem {
  return error instanceof Problem ? error : new Problem(String(error), "", 0);
}
