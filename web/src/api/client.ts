// The one door to the server: typed by its OpenAPI document, errors as Problem.
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Shapes = components["schemas"];
export type Finding = Shapes["Finding"];
export type Severity = Shapes["Severity"];
export type Deployment = Shapes["DeploymentOut"];
export type StationName = Shapes["Station"];

const client = createClient<paths>({ baseUrl: "/" });

/** What went wrong, in the server's own words. */
export class Problem extends Error {
  constructor(
    message: string,
    readonly status: number,
    readonly code: string,
    /** The field it speaks of, where it does. */
    readonly where = "",
    /** What was found, without what is to be done about it. */
    readonly found = message,
    /** What somebody else made of the fields that were to be changed. */
    readonly theirs: Record<string, unknown> = {},
  ) {
    super(message);
    this.name = "Problem";
  }
}

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Return what the server answered, or throw the Problem it sent. */
export async function answer<T>(asked: Promise<Answer<T>>): Promise<T> {
  let got: Answer<T>;
  try {
    got = await asked;
  } catch {
    throw new Problem("The server does not answer. Is it still running?", 0, "unreachable");
  }
  if (got.response.ok) return got.data as T;
  const sent = (got.error ?? {}) as { title?: string; code?: string; where?: string; found?: string; theirs?: Record<string, unknown> };
  throw new Problem(sent.title ?? `The server answered ${got.response.status}.`, got.response.status, sent.code ?? "error", sent.where ?? "", sent.found, sent.theirs);
}

export const { GET, PUT, POST, DELETE } = client;
