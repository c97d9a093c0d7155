import createClient, { type Middleware } from "openapi-fetch";
import { answeredUpTo } from "./events";
import type { components, paths } from "./schema";

export type Schema = components["schemas"];

/** What the server says went wrong, with the fields it concerns. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly fields: Record<string, string[]>,
  ) {
    super(detail || title);
  }
}

const checked: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrfToken());
    return request;
  },
  async onResponse({ response }) {
    answeredUpTo(response.headers.get("Notices-Told"));
    if (response.ok) return response;
    if (response.status === 401) window.location.assign("/login/");
    throw await problemOf(response);
  },
};

export const api = createClient<paths>({ baseUrl: "" });
api.use(checked);

/** The body of a good answer; a bad one has already been thrown as a `Problem`. */
export async function body<T>(answer: Promise<{ data?: T }>): Promise<T> {
  const { data } = await answer;
  return data as T;
}

/** Sends a form with files; the answer's body, or a thrown `Problem`. */
export async function upload<T>(path: string, form: FormData, signal?: AbortSignal): Promise<T> {
  const headers = { "X-CSRFToken": csrfToken() };
  const response = await fetch(path, { method: "POST", body: form, headers, signal: signal ?? null });
  if (!response.ok) throw await problemOf(response);
  return (await response.json()) as T;
}

async function problemOf(response: Response): Promise<Problem> {
  try {
    const said = (await response.json()) as Partial<Problem>;
    return new Problem(response.status, said.title ?? "Error", said.detail ?? "", said.fields ?? {});
  } catch {
    return new Problem(response.status, "Error", `The server answered ${response.status}.`, {});
  }
}

export function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]*)/.exec(document.cookie)?.[1] ?? "";
}
