import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type MachineSummary = Schemas["MachineSummary"];
export type MachineDetail = Schemas["MachineDetail"];
export type HoldingView = Schemas["HoldingView"];
export type RelocationView = Schemas["RelocationView"];
/** A run, and what says in a request that it is still as it was when it was looked at. */
export type RunView = Schemas["RunView"] & { tag: string };
export type FailureGroup = Schemas["FailureGroup"];
export type Shelf = Schemas["Shelf"];
export type ShelfBlock = Schemas["ShelfBlock"];
export type Standing = Schemas["Standing"];
export type Failure = Schemas["Failure"];
export type NextStep = Schemas["NextStep"];
export type VolumeSpace = Schemas["VolumeSpace"];
export type MachineSpace = Schemas["MachineSpace"];
export type SpaceShare = Schemas["SpaceShare"];
export type SpaceMoment = Schemas["SpaceMoment"];
export type Finding = Schemas["Finding"];
export type HistorySubject = Schemas["HistorySubject"];
export type HistoryEvent = Schemas["HistoryEntry"]["event"];
export type PlanView = Schemas["PlanView"];
export type PlannedMachine = Schemas["PlannedMachine"];
export type Hazard = Schemas["Hazard"];
export type Consent = Schemas["Consent"];
export type ErrandView = Schemas["ErrandView"];
export type DrillView = Schemas["DrillView"];
export type OriginalView = Schemas["OriginalView"];
export type Invite = Schemas["Invite"];
export type ServiceStatus = Schemas["ServiceStatus"];
export type AccessLevel = Schemas["AccessLevel"];
export type Basis = NonNullable<Schemas["AuditView"]["basis"]>;

/** The service's answer to a call that it did not fulfil. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly remedy: string | undefined,
  ) {
    super(message);
  }
}

const client = createClient<paths>({ headers: { "X-Furlough-Console": "1" } });

async function unwrap<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const { data, error, response } = await call;
  if (response.ok) return data as T;
  const problem = (error ?? {}) as { code?: string; detail?: string; remedy?: string };
  throw new Refusal(
    response.status,
    problem.code ?? "unknown",
    problem.detail ?? `The service answered ${response.status}.`,
    problem.remedy,
  );
}

/** Nothing is done to a run that someone else did something to meanwhile. */
const asSeen = (run: RunView) => ({ params: { path: { number: run.number } }, headers: { "If-Match": run.tag } });

const part = 1000;

/** A whole list, part by part. */
async function whole<T>(read: (part: { after?: string; limit: string }) => Promise<T[]>, numberOf: (one: T) => number) {
  const all: T[] = [];
  for (;;) {
    const last = all.at(-1);
    const found = await read({ limit: String(part), ...(last && { after: String(numberOf(last)) }) });
    all.push(...found);
    if (found.length < part) return all;
  }
}

export const api = {
  signOut: () => unwrap(client.DELETE("/api/v1/session")),
  signInWays: () => unwrap(client.GET("/api/v1/sign-in")),
  signIn: (token: string) => unwrap(client.POST("/api/v1/session", { body: { token } })),
  invite: (room: string | null, machines: number) =>
    unwrap(client.POST("/api/v1/invites", { body: { room, machines, hours: 24, again: null } })),
  status: () => unwrap(client.GET("/api/v1/status")),
  machines: () => unwrap(client.GET("/api/v1/machines")),
  shelves: (room: string) => unwrap(client.GET("/api/v1/rooms/{room}/shelves", { params: { path: { room } } })),
  machine: (name: string) => unwrap(client.GET("/api/v1/machines/{name}", { params: { path: { name } } })),
  space: () => unwrap(client.GET("/api/v1/space")),
  machineSpace: (name: string) => unwrap(client.GET("/api/v1/machines/{name}/space", { params: { path: { name } } })),
  plans: () => unwrap(client.GET("/api/v1/plans")),
  plan: (number: number) => unwrap(client.GET("/api/v1/plans/{number}", { params: { path: { number } } })),
  consent: (number: number, body: Schemas["ConsentRequest"]) =>
    unwrap(client.POST("/api/v1/plans/{number}/consents", { params: { path: { number } }, body })),
  briefSample: () => unwrap(client.GET("/api/v1/briefs/sample")),
  briefSchema: async (): Promise<unknown> => (await fetch("/api/v1/briefs/schema")).json(),
  checkBrief: (brief: string) => unwrap(client.POST("/api/v1/briefs/check", { body: { brief } })),
  makePlan: (brief: string) => unwrap(client.POST("/api/v1/plans", { body: { brief } })),
  runs: () => unwrap(client.GET("/api/v1/runs")),
  run: async (number: number): Promise<RunView> => {
    const call = client.GET("/api/v1/runs/{number}", { params: { path: { number } } });
    return { ...(await unwrap(call)), tag: (await call).response.headers.get("ETag") ?? "*" };
  },
  startRun: (plan: number) => unwrap(client.POST("/api/v1/runs", { body: { plan } })),
  steer: (run: RunView, verb: "approve" | "pause" | "resume" | "halt") =>
    unwrap(client.POST(`/api/v1/runs/{number}/${verb}`, asSeen(run))),
  retryFailed: (run: RunView, cause: string | null) =>
    unwrap(client.POST("/api/v1/runs/{number}/retry", { ...asSeen(run), body: { cause } })),
  skipFailed: (run: RunView, cause: string | null, reason: string) =>
    unwrap(client.POST("/api/v1/runs/{number}/skip", { ...asSeen(run), body: { cause, reason } })),
  relocations: (run: number) =>
    whole(
      (part) => unwrap(client.GET("/api/v1/relocations", { params: { query: { run: String(run), ...part } } })),
      (r) => r.number,
    ),
  originals: async () =>
    (
      await whole(
        (part) => unwrap(client.GET("/api/v1/originals", { params: { query: part } })),
        (o) => Number(o.id.slice(1)),
      )
    ).toSorted((a, b) => a.keptUntil.localeCompare(b.keptUntil)),
  discard: (id: string, body: Schemas["DiscardRequest"]) =>
    unwrap(client.POST("/api/v1/originals/{id}/discard", { params: { path: { id } }, body })),
  skip: (number: number, reason: string) =>
    unwrap(
      client.POST("/api/v1/relocations/{number}/skip", { params: { path: { number } }, body: { reason, cause: null } }),
    ),
  audits: () => unwrap(client.GET("/api/v1/audits")),
  audit: (number: number) => unwrap(client.GET("/api/v1/audits/{number}", { params: { path: { number } } })),
  makeAudit: () => unwrap(client.POST("/api/v1/audits")),
  history: (before: number | undefined, about: string) =>
    unwrap(client.GET("/api/v1/history", { params: { query: { before: before?.toString(), about } } })),
  survey: (name: string) => unwrap(client.POST("/api/v1/machines/{name}/survey", { params: { path: { name } } })),
  hold: (name: string, reason: string | null) =>
    unwrap(client.POST("/api/v1/machines/hold", { body: { machines: [name], reason } })),
  retry: (number: number) =>
    unwrap(client.POST("/api/v1/relocations/{number}/retry", { params: { path: { number } } })),
  errands: async (all: boolean) =>
    (
      await whole(
        (part) => unwrap(client.GET("/api/v1/errands", { params: { query: { all, ...part } } })),
        (e) => e.number,
      )
    ).toSorted((a, b) => a.due.localeCompare(b.due)),
  claimErrand: (number: number) =>
    unwrap(client.POST("/api/v1/errands/{number}/claim", { params: { path: { number } }, body: { as: null } })),
  finishErrand: (number: number, text: string | null) =>
    unwrap(client.POST("/api/v1/errands/{number}/finish", { params: { path: { number } }, body: { text } })),
  declineErrand: (number: number, text: string) =>
    unwrap(client.POST("/api/v1/errands/{number}/decline", { params: { path: { number } }, body: { text } })),
  takeBack: (number: number) =>
    unwrap(client.POST("/api/v1/relocations/{number}/return", { params: { path: { number } } })),
};
