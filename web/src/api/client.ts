import createClient, { type Middleware } from "openapi-fetch";
import { sessionEnded } from "../app/session";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type EntryLine = Schemas["EntryLine"];
export type Entry = Schemas["Entry"];
export type Figure = Schemas["Figure"];
export type Finding = Schemas["Finding"];
export type Run = Schemas["Run"];
export type PartRows = Schemas["PartRows"];
export type PlanTables = Schemas["PlanTables"];
export type Definition = Schemas["Definition"];
export type Trace = Schemas["Trace"];
export type Standing = Schemas["Standing"];
export type Row = Schemas["Row"];
export type Recording = Schemas["Recording"];
export type FigureChoice = Schemas["FigureChoice"];
export type Job = Schemas["Job"];
export type Place = Schemas["Place"];

/** What is wrong at one place of what was sent. */
export interface PlaceOfFault {
  at: string;
  said: string;
}

/** An error of the API: problem details (RFC 9457), with the places that are at fault where it names them. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    detail: string,
    readonly places: readonly PlaceOfFault[] = [],
  ) {
    super(detail);
  }
}

/** The leaves of a tree of messages, each with its place: "arms.0.name". */
function leaves(errors: unknown, at = ""): PlaceOfFault[] {
  if (typeof errors === "string") return [{ at, said: errors }];
  if (typeof errors !== "object" || errors === null) return [];
  return Object.entries(errors).flatMap(([key, below]) =>
    leaves(below, typeof below === "string" && Array.isArray(errors) ? at : at ? `${at}.${key}` : key),
  );
}

/** What was sent and not answered yet, with its key: sent again, it is known to be the same. */
const unsure = new Map<string, string>();
const sentAs = new WeakMap<Request, string>();

/** 128 bits by chance, as 32 hexadecimal digits. (`randomUUID` is only there over TLS and on the machine itself.) */
const someKey = () =>
  [...crypto.getRandomValues(new Uint32Array(4))].map((word) => word.toString(16).padStart(8, "0")).join("");

/** A key for something new of one's own. */
export const newId = () => {
  const hex = someKey();
  const parts = [
    hex.slice(0, 8),
    hex.slice(8, 12),
    `4${hex.slice(13, 16)}`,
    `8${hex.slice(17, 20)}`,
    hex.slice(20),
  ];
  return parts.join("-");
};

/** Nothing is done twice: what is sent again because no answer came carries the key it had. */
const once: Middleware = {
  async onRequest({ request }) {
    if (request.method !== "POST") return request;
    const what = `${request.url} ${await request.clone().text()}`;
    const key = unsure.get(what) ?? someKey();
    unsure.set(what, key);
    request.headers.set("Idempotency-Key", key);
    sentAs.set(request, what);
    return request;
  },
  onResponse({ request, response }) {
    const what = sentAs.get(request);
    if (what !== undefined && response.status < 500 && response.status !== 409) unsure.delete(what);
    return response;
  },
};

const guard: Middleware = {
  onRequest({ request }) {
    const token = /(?:^|; )(?:__Host-)?csrftoken=([^;]+)/.exec(document.cookie)?.[1];
    if (token && request.method !== "GET") request.headers.set("X-CSRFToken", token);
    return request;
  },
  async onResponse({ request, response }) {
    if (response.ok) return response;
    let detail = response.statusText || "The server answered with an error.";
    let code = "error";
    let places: PlaceOfFault[] = [];
    try {
      const body = (await response.json()) as {
        detail?: string;
        code?: string;
        errors?: unknown;
        places?: PlaceOfFault[];
      };
      detail = body.detail ?? detail;
      code = body.code ?? code;
      places = body.places ?? leaves(body.errors);
    } catch {
      // not problem details: the status text stands
    }
    // What became of it is to be looked at by hand: sent again, it is meant as a new one.
    if (code === "still-unsure") unsure.delete(sentAs.get(request) ?? "");
    if (response.status === 401 && !response.url.includes("/api/session/")) sessionEnded(true);
    throw new Problem(response.status, code, detail, places);
  },
};

export const api = createClient<paths>({ baseUrl: "/" });
// Answers pass the last one first.
api.use(guard, once);

/** The data of an answer; errors were thrown before. */
export function data<T>(answer: { data?: T }): T {
  if (answer.data === undefined) throw new Problem(0, "empty", "The server sent nothing.");
  return answer.data;
}
