import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

type Schemas = components["schemas"];
export type Person = Schemas["Person"];
export type Site = Schemas["Site"];
export type Device = Schemas["Device"];
export type DeviceDetail = Schemas["DeviceDetail"];
export type FacePort = Schemas["FacePort"];
export type Port = Schemas["Port"];
export type NetworkClient = Schemas["NetworkClient"];
export type FoundDevice = Schemas["FoundDevice"];
export type Discovery = Schemas["Discovery"];
export type Fault = Schemas["Fault"];
export type Change = Schemas["Change"];
export type Finding = Schemas["Finding"];
export type Edit = Schemas["Edit"];
export type HappenedEvent = Schemas["Event"];
export type Health = Port["health"];

/** An error that the service told (RFC 9457), with everything that is wrong. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly type: string,
    message: string,
    readonly details: { location?: string; message?: string }[],
  ) {
    super(message);
  }
}

let csrf = "";

/** Takes note of what must be sent along with every request that changes something. */
export function setPerson(p: Person | null) {
  csrf = p?.csrf ?? "";
}

const api = createClient<paths>({ baseUrl: "/" });
api.use({
  onRequest({ request }) {
    if (csrf) request.headers.set("X-Everypost-CSRF", csrf);
    return request;
  },
});

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** Returns the data of an answer, or throws the problem that it tells. */
export async function take<T>(answer: Promise<Answer<T>>): Promise<T> {
  let a: Answer<T>;
  try {
    a = await answer;
  } catch {
    throw new Problem(0, "unreachable", "The service does not answer. What is shown may be old.", []);
  }
  if (a.response.ok) return a.data as T;
  const p = (a.error ?? {}) as { type?: string; detail?: string; title?: string; errors?: Problem["details"] };
  const details = p.errors ?? [];
  const first = details.map((d) => d.message).filter((m) => m && !p.detail?.includes(m));
  throw new Problem(
    a.response.status,
    p.type ?? "",
    [p.detail ?? p.title ?? `The service answered ${a.response.status}.`, ...first].join(" "),
    details,
  );
}

export { api };
