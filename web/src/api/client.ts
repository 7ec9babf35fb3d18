import createClient from "openapi-fetch";
import type { components, paths } from "./generated/api";
import { answered, packed, spelledOut, UNKNOWN_PIECE } from "./pieces";

type Schemas = components["schemas"];
export type Shoot = Schemas["ShootOut"];
export type { Frame, Frames } from "../state/frames";
export type Job = Schemas["JobOut"];
export type Preset = Schemas["Preset"];
export type Delivered = Schemas["DeliveredOut"];
export type PlanRow = Schemas["PlanRow"];
export type PixelValues = Schemas["PixelOut"];
export type Mark = Schemas["FrameColumns"]["mark"][number];
export type Version = Schemas["VersionOut"];

/** Sends a request; once more with everything in it where the server has forgotten parts that it was sent before. */
async function sent(request: Request): Promise<Response> {
  const spare = request.method === "GET" ? null : request.clone();
  const response = await globalThis.fetch(request);
  const text = spare && (response.ok || response.status === UNKNOWN_PIECE) ? await spare.text() : "";
  if (response.ok) answered(text);
  if (response.status !== UNKNOWN_PIECE || !text) return response;
  const { method, headers, signal } = request;
  const body = spelledOut(text);
  return globalThis.fetch(new Request(request.url, { method, headers, signal, body }));
}

export const api = createClient<paths>({
  baseUrl: "",
  headers: { "X-Zincplate": "1" },
  bodySerializer: (body) => packed(body),
  fetch: sent,
});

/** An answer of the server that is not a success: its sentence, and for a stale revision the current state. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    sentence: string,
    readonly current: unknown = null,
  ) {
    super(sentence);
  }
}

const OFFLINE = "The server does not answer. Is Zincplate still running?";

/** Unwraps an answer: the data, or an ApiError with the server's sentence. */
export async function need<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let answer: { data?: T; error?: unknown; response: Response };
  try {
    answer = await call;
  } catch {
    throw new ApiError(0, OFFLINE);
  }
  if (answer.data !== undefined && answer.response.ok) return answer.data;
  const body = answer.error as { error?: string; current?: unknown } | undefined;
  throw new ApiError(
    answer.response.status,
    body?.error ?? `The server answered ${answer.response.status}.`,
    body?.current,
  );
}

/** A version with its recipe and history. The client's types forget how long a row of numbers is; the document knows. */
export async function readVersion(id: number): Promise<Version> {
  return (await need(api.GET("/api/versions/{id}", { params: { path: { id } } }))) as Version;
}

export async function offlineSafe(call: () => Promise<Response>): Promise<Response> {
  let response: Response;
  try {
    response = await call();
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiError(0, OFFLINE);
  }
  if (response.ok) return response;
  const body = (await response.json().catch(() => null)) as { error?: string } | null;
  throw new ApiError(response.status, body?.error ?? `The server answered ${response.status}.`);
}
