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
export type NetworkMap = Schemas["Map"];
export type MapDevice = Schemas["MapDevice"];
export type Line = Schemas["Line"];
export type Group = Schemas["Group"];
export type GroupRequest = Schemas["GroupRequest"];
export type Claim = Schemas["Claim"];
export type ClaimedDevice = Schemas["ClaimedDevice"];
export type User = Schemas["User"];
export type Role = Schemas["Role"];
export type Rule = Schemas["Rule"];
export type Right = Schemas["Right"];
export type Token = Schemas["Token"];
export type History = Schemas["History"];
export type LinkUse = Schemas["LinkUse"];
export type NetworkLink = Schemas["Link"];
export type TerminalSession = Schemas["TerminalSession"];
export type AuditEntry = Schemas["AuditEntry"];
export type Setting = Schemas["Setting"];
export type Standing = Schemas["Standing"];
export type BulkAnswer = Schemas["BulkAnswer"];
export type BulkResult = Schemas["BulkResult"];
export type BundleEnd = Schemas["BundleEnd"];
export type NetworkVLAN = Schemas["NetworkVLAN"];
export type VLANPlace = Schemas["VLANPlace"];
export type DeviceObject = Schemas["Object"];
export type SettingKind = Schemas["SettingKind"];
export type ReadySettings = Schemas["ReadySettings"];
export type ChangeRule = Schemas["ChangeRule"];
export type SetupRequest = Schemas["SetupRequest"];
export type SetupAnswer = Schemas["SetupAnswer"];
export type Notice = Schemas["Notice"];
export type MailServer = Schemas["MailServer"];
export type AlarmRule = Schemas["AlarmRule"];
export type AlarmRuleRequest = Schemas["AlarmRuleRequest"];
export type AlarmRuleTrial = Schemas["AlarmRuleTrial"];
export type Alarm = Schemas["Alarm"];
export type AlarmDetail = Schemas["AlarmDetail"];
export type AlarmAct = Schemas["AlarmAct"];
export type Operation = Schemas["Operation"];
export type OperationKind = Schemas["OperationKind"];
export type Job = Schemas["Job"];
export type JobKind = Schemas["JobKind"];
export type Promised = Schemas["Promise"];
export type PromiseRequest = Schemas["PromiseRequest"];
export type Reach = Schemas["Reach"];
export type ReachRequest = Schemas["ReachRequest"];
export type Policy = Schemas["Policy"];
export type PolicyName = Schemas["PolicyName"];
export type ApplicationUse = Schemas["ApplicationUse"];
export type WirelessNetwork = Schemas["WirelessNetwork"];
export type AirRadio = Schemas["AirRadio"];
export type BlockedStation = Schemas["BlockedStation"];
export type GuestStay = Schemas["GuestStay"];
export type GuestPortal = Schemas["GuestPortal"];
export type GuestPortalRequest = Schemas["GuestPortalRequest"];
export type GuestVoucher = Schemas["GuestVoucher"];
export type VoucherOrder = Schemas["VoucherOrder"];
export type NetworkFailure = Schemas["Failure"];
export type Path = Schemas["Path"];
export type PathWay = Schemas["PathWay"];
export type Circuit = Schemas["Circuit"];
export type SteeredFlow = Schemas["SteeredFlow"];
export type SteeringMove = Schemas["SteeringMove"];
export type SteeringReplay = Schemas["SteeringReplay"];
export type LimitedStation = Schemas["LimitedStation"];
export type LimitRequest = Schemas["LimitRequest"];
export type RadioLicence = Schemas["RadioLicence"];
export type Carriage = Schemas["Carriage"];
export type ServiceVLAN = Schemas["ServiceVLAN"];
export type ServicePort = Schemas["ServicePort"];
export type Router = Schemas["Router"];
export type Segment = Schemas["Segment"];
export type SegmentEdge = Schemas["SegmentEdge"];
export type SegmentRequest = Schemas["SegmentRequest"];
export type UsedRoute = Schemas["UsedRoute"];
export type RadioLink = Schemas["RadioLink"];
export type RadioLinkEnd = Schemas["RadioLinkEnd"];
export type RadioLinkFared = Schemas["RadioLinkFared"];
export type RadioLinkRequest = Schemas["RadioLinkRequest"];
export type Tunnel = Schemas["JoinedTunnel"];
export type TunnelEnd = Schemas["TunnelEnd"];
export type TunnelPlanRequest = Schemas["TunnelPlanRequest"];
export type TunnelRemoval = Schemas["TunnelRemoval"];
export type CircuitRequest = Schemas["CircuitRequest"];
export type Refusal = Schemas["Refusal"];
export type JoinCodeRequest = Schemas["JoinCodeRequest"];
export type InspectionFound = Schemas["InspectionFound"];
export type PolicyFlood = Schemas["PolicyFlood"];
export type DeviceCertificate = Schemas["DeviceCertificate"];
export type CertificateImport = Schemas["CertificateImport"];
export type FirewallSession = Schemas["FirewallSession"];
export type FirewallSessions = Schemas["FirewallSessions"];
export type PolicyRule = Schemas["PolicyRule"];
export type PolicyTranslation = Schemas["PolicyTranslation"];
export type PolicySummary = Schemas["PolicySummary"];
export type JobRun = Schemas["JobRun"];
export type JobRunDetail = Schemas["JobRunDetail"];
export type JobStep = Schemas["JobStep"];
export type JobRequest = Schemas["JobRequest"];
export type Image = Schemas["Image"];
export type DeviceFirmware = Schemas["DeviceFirmware"];
export type Backup = Schemas["Backup"];
export type Saying = Schemas["Saying"];
export type Template = Schemas["Template"];
export type Drift = Schemas["Drift"];
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

export type Verb = Right["verb"];

/** Whether there is anything to which a person may do something. On what just there, the thing itself tells. */
export const allowed = (me: Person, verb: Verb, feature: string) =>
  me.rights.some((r) => r.verb === verb && r.feature === feature);

export const triedKey = "everypost.try-role";

/** The role that is tried in this window, or "". */
export const triedRole = () => sessionStorage.getItem(triedKey) ?? "";

/** Has this window treated as somebody of another role, or with "" as oneself again. */
export function tryRole(role: string) {
  if (role) sessionStorage.setItem(triedKey, role);
  else sessionStorage.removeItem(triedKey);
  window.location.assign("/watch"); // everything that was read is somebody else's
}

let csrf = "";

/** Takes note of what must be sent along with every request that changes something. */
export function setPerson(p: Person | null) {
  csrf = p?.csrf ?? "";
}

/** What the first frame of a terminal must hold. */
export const csrfToken = () => csrf;

const api = createClient<paths>({ baseUrl: "/" });
api.use({
  onRequest({ request }) {
    if (csrf) request.headers.set("X-Everypost-CSRF", csrf);
    const role = triedRole();
    if (role) request.headers.set("X-Everypost-Try-Role", role);
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

/** Sends a file as it is, and tells what part of it is sent. */
export function upload(method: "POST" | "PUT", path: string, file: Blob, far: (part: number) => void): Promise<void> {
  return new Promise((done, fail) => {
    const r = new XMLHttpRequest(); // fetch does not tell how far it is
    r.open(method, path);
    r.setRequestHeader("Content-Type", "application/octet-stream");
    if (csrf) r.setRequestHeader("X-Everypost-CSRF", csrf);
    if (triedRole()) r.setRequestHeader("X-Everypost-Try-Role", triedRole());
    r.upload.onprogress = (e) => far(e.lengthComputable ? e.loaded / e.total : 0);
    r.onerror = () => fail(new Problem(0, "unreachable", "The service was not reached. Send it again.", []));
    r.onload = () => {
      if (r.status < 300) return done();
      let p: { type?: string; detail?: string } = {};
      try {
        p = JSON.parse(r.responseText);
      } catch {} // what is no problem document still has its status
      fail(new Problem(r.status, p.type ?? "", p.detail ?? `The service answered ${r.status}.`, []));
    };
    r.send(file);
  });
}

export { api };
