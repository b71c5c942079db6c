import { QueryClient } from "@tanstack/react-query";
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Problem = Schemas["ProblemView"];
export type Brief = Schemas["BriefView"];
/** A problem about a table: its brief tells of columns, classes and folds. */
export type TableProblem = Problem & { brief: Brief };
export const isTable = (problem: Problem): problem is TableProblem => problem.brief !== null;
/** A problem whose fits are somebody's own code. */
export type CodeProblem = Problem & { code: Schemas["CodeBriefView"] };
export const isCode = (problem: Problem): problem is CodeProblem => problem.code !== null;
export type Entry = Schemas["LedgerEntry"];
export type Search = Schemas["SearchView"];
export type TrialRow = Schemas["TrialRow"];
export type TrialDetail = Schemas["TrialDetail"];
export type Points = Schemas["PointsView"];
export type Curves = Schemas["CurvesView"];
export type Lanes = Schemas["LanesView"];
export type FitView = Schemas["FitView"];
export type Learner = Schemas["LearnerView"];
export type Setting = Schemas["SettingView"];
export type Catalogue = Schemas["CatalogueView"];
export type Data = Schemas["DataView"];
export type Column = Schemas["ColumnView"];
export type BriefRequest = Schemas["BriefRequest"];
export type Preview = Schemas["PreviewView"];
export type Split = Schemas["SplitView"];
export type Best = Schemas["BestView"];
export type Scalar = string | number | boolean;

/** What the server says when it refuses: the sentence, and the field it is about. */
export class Refusal extends Error {
  constructor(
    message: string,
    readonly field: string | null,
    readonly status: number,
    readonly trace: string | null = null,
  ) {
    super(message);
  }
}

export const api = createClient<paths>({ baseUrl: "" });

const ONCE = "Idempotency-Key";
/** Questions that change nothing: asked again, they want what is known by then and not what was said a second before. */
const ASKED_AGAIN = /\/(evidence|surface|honest-score|importance|tree|forecast|check|compare|preview)$/;
const SAME = 2_000; // ms within which the same wish again is a double click
const sent = new Map<string, { key: string; at: number }>();

/** Everything that is posted is carried out once, however often a button is hit or an answer is lost. */
api.use({
  async onRequest({ request }) {
    if (request.method !== "POST" || request.headers.has(ONCE) || ASKED_AGAIN.test(new URL(request.url).pathname))
      return;
    const wish = `${request.url} ${await request.clone().text()}`;
    const now = Date.now();
    for (const [known, { at }] of sent) if (now - at > SAME) sent.delete(known);
    const key = sent.get(wish)?.key ?? `${now.toString(36)}-${Math.random().toString(36).slice(2)}`;
    sent.set(wish, { key, at: now });
    request.headers.set(ONCE, key);
  },
});

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The answer's data, or a Refusal. */
export async function settled<T>(answer: Promise<Answer<T>>): Promise<T> {
  let found: Answer<T>;
  try {
    found = await answer;
  } catch {
    throw new Refusal("The server does not answer. Is Pellux still running?", null, 0);
  }
  if (found.response.ok) return found.data as T;
  const problem = found.error as Schemas["ProblemDocument"] | undefined;
  throw new Refusal(
    problem?.detail ?? `The server answered ${found.response.status}.`,
    problem?.field ?? null,
    found.response.status,
    problem?.trace ?? null,
  );
}

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      refetchOnWindowFocus: false,
      retry: (count, error) => !(error instanceof Refusal && error.status >= 400) && count < 3,
    },
  },
});
