import type { components } from "../generated/api";

export type Schemas = components["schemas"];
export type Problem = Schemas["Problem"];

/** A problem document (RFC 9457), or no answer at all (status 0). */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly problem: Partial<Problem>,
  ) {
    super(problem.detail ?? "The service does not answer.");
  }
  get hint(): string {
    return this.problem.hint ?? "";
  }
}

let csrfToken = "";
export function rememberCsrf(token: string): void {
  csrfToken = token;
}

let askCode: (() => Promise<boolean>) | undefined;
/** Who asks a person for a code when an act wants one; true once it was right. */
export function askForCodes(ask: () => Promise<boolean>): () => void {
  askCode = ask;
  return () => {
    askCode = undefined;
  };
}

interface Options {
  method?: string;
  body?: unknown;
  /** Sent as it is, in place of a body. */
  file?: Blob;
  ifMatch?: string;
  key?: string;
}

/** One call of the service. `key` makes a creating call safe to repeat. An act that wants the second factor asks for it first. */
export async function call<T>(path: string, options: Options = {}): Promise<T> {
  try {
    return await send<T>(path, options);
  } catch (error) {
    const wanted = error instanceof ApiError && error.problem.type?.endsWith("/confirm.needed");
    if (!wanted || !askCode || !(await askCode())) throw error;
    return send<T>(path, options);
  }
}

/** One file, as it is. */
export function sendFile<T>(path: string, file: Blob): Promise<T> {
  return call<T>(path, { method: "POST", file });
}

async function send<T>(path: string, options: Options): Promise<T> {
  const headers: Record<string, string> = { Accept: "application/json" };
  const method = options.method ?? "GET";
  if (method !== "GET") {
    headers["X-CSRF-Token"] = csrfToken;
    headers["Content-Type"] = options.file ? options.file.type || "application/octet-stream" : "application/json";
  }
  if (options.ifMatch !== undefined) headers["If-Match"] = `"${options.ifMatch}"`;
  if (options.key) headers["Idempotency-Key"] = options.key;
  let response: Response;
  try {
    response = await fetch(`/api/v1${path}`, {
      method,
      headers,
      credentials: "same-origin",
      body: options.file ?? (options.body === undefined ? undefined : JSON.stringify(options.body)),
    });
  } catch {
    throw new ApiError(0, { detail: "The service does not answer.", hint: "Is bin/up still running?" });
  }
  if (response.status === 204) return undefined as T;
  const answered = await response.json().catch(() => ({}));
  if (!response.ok) throw new ApiError(response.status, answered as Partial<Problem>);
  return answered as T;
}
