/** A request as the program would get it. */
export interface Asked {
  method: string;
  path: string;
  query: URLSearchParams;
  header: Headers;
  body: unknown;
}

type Answer = { status?: number; body: unknown };
type Give = (asked: Asked) => Answer | Promise<Answer>;

let given = new Map<string, Give>();
let log: Asked[] = [];

/**
 * Lays out what the program answers, by "METHOD /path"; what is not laid out is an error of the test. Gives the
 * requests that were made since, as they come.
 */
export function program(answers: Record<string, Give | object>): Asked[] {
  given = new Map(
    Object.entries(answers).map(([key, a]) => [key, typeof a === "function" ? (a as Give) : () => ({ body: a })]),
  );
  log = [];
  return log;
}

export async function answer(request: Request): Promise<Response> {
  const url = new URL(request.url);
  const text = await request.text();
  const asked: Asked = {
    method: request.method,
    path: url.pathname,
    query: url.searchParams,
    header: request.headers,
    body: request.headers.get("content-type")?.includes("json") && text ? JSON.parse(text) : text,
  };
  log.push(asked);
  const give = given.get(`${asked.method} ${asked.path}`);
  if (!give) throw new Error(`the test lays out no answer to ${asked.method} ${asked.path}`);
  const { status = 200, body } = await give(asked);
  const type = status < 400 ? "application/json" : "application/problem+json";
  return new Response(JSON.stringify(body), { status, headers: { "Content-Type": type } });
}

/** A problem document (RFC 9457). */
export const problem = (status: number, detail: string, more: object = {}): Answer => ({
  status,
  body: { status, detail, ...more },
});
