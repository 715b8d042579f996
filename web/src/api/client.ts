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

/** An error of the API: problem details (RFC 9457). */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    detail: string,
  ) {
    super(detail);
  }
}

const guard: Middleware = {
  onRequest({ request }) {
    const token = /(?:^|; )(?:__Host-)?csrftoken=([^;]+)/.exec(document.cookie)?.[1];
    if (token && request.method !== "GET") request.headers.set("X-CSRFToken", token);
    return request;
  },
  async onResponse({ response }) {
    if (response.ok) return response;
    let detail = response.statusText || "The server answered with an error.";
    let code = "error";
    try {
      const body = (await response.json()) as { detail?: string; code?: string };
      detail = body.detail ?? detail;
      code = body.code ?? code;
    } catch {
      // not problem details: the status text stands
    }
    if (response.status === 401 && !response.url.includes("/api/session/")) sessionEnded(true);
    throw new Problem(response.status, code, detail);
  },
};

export const api = createClient<paths>({ baseUrl: "/" });
api.use(guard);

/** The data of an answer; errors were thrown before. */
export function data<T>(answer: { data?: T }): T {
  if (answer.data === undefined) throw new Problem(0, "empty", "The server sent nothing.");
  return answer.data;
}
