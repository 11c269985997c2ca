import { clsx } from "clsx";
import { Link } from "react-router";
import {
  allowed,
  type InspectionFound,
  type Person,
  type Policy,
  type PolicyName,
  type PolicyRule,
  type PolicySummary,
  type PolicyTranslation,
} from "../../api/client";
import { useKept, useScope, useView } from "../../app/view";
import { Choices, Empty, Failure, Panel, ScrollRegion } from "../../ui/controls";
import { HealthMark, Shape } from "../../ui/health";
import { Ago, many } from "../../ui/time";
import { Applications } from "./Applications";
import { Floods } from "./Floods";
import { Overrides } from "./Overrides";
import { Promises } from "./Promises";
import { usePolicies, usePolicy } from "./queries";
import { Reach } from "./Reach";
import { Sessions } from "./Sessions";
import { TakeInList } from "./TakeInList";

const count = (n: number) => n.toLocaleString("en-GB");

/** How grave a fault of a rule is. */
const faultShape: Record<string, string> = {
  wide: "down",
  shadowed: "degraded",
  nobody: "degraded",
  "too-large": "unknown",
  past: "unknown",
  redundant: "unknown",
  unused: "unknown",
};

const order = Object.keys(faultShape);

/** What firewalls let pass: the rules of each, how often they decided, and what is wrong with them. */
export function PoliciesPage({ me }: { me: Person }) {
  const [scope] = useScope();
  const [picked, pick] = useView("firewall");
  const [view, setView] = useView("view");
  const list = usePolicies(scope);
  const items = list.data?.items ?? [];
  const name = items.some((p) => p.device === picked) ? picked : (items[0]?.device ?? "");
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h1 className="text-lg font-semibold">Policies</h1>
        <Choices
          label="What is shown"
          value={view}
          of={[
            ["", "Rules"],
            ...((allowed(me, "see", "clients")
              ? [
                  ["sessions", "Sessions"],
                  ["applications", "Applications"],
                ]
              : []) as [string, string][]),
            ["reach", "Can it reach?"],
            ["promises", "Promises"],
          ]}
          pick={setView}
        />
      </div>
      {view === "applications" ? (
        <Applications />
      ) : view === "reach" ? (
        <Reach me={me} />
      ) : view === "promises" ? (
        <Promises me={me} />
      ) : list.isError ? (
        <Failure error={list.error} retry={() => void list.refetch()} />
      ) : items.length === 0 && list.data ? (
        <Panel>
          <Empty title="There is no firewall here">
            A firewall that can be told what to let pass between zones is listed here as soon as it was read. The scope
            may leave it out.
          </Empty>
        </Panel>
      ) : (
        <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-3 lg:grid-cols-[228px_minmax(0,1fr)]">
          <Panel title={many(items.length, "firewall")}>
            <ul className="grid">
              {items.map((p) => (
                <li key={p.device} className="border-b border-rule/60 last:border-0">
                  <Firewall p={p} on={p.device === name} pick={pick} />
                </li>
              ))}
            </ul>
          </Panel>
          {name && (view === "sessions" ? <Sessions key={name} name={name} me={me} /> : <Detail name={name} me={me} />)}
        </div>
      )}
    </div>
  );
}

function Firewall({ p, on, pick }: { p: PolicySummary; on: boolean; pick: (name: string) => void }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={() => pick(p.device)}
      className={clsx("grid w-full gap-0.5 px-3 py-1.5 text-left", on ? "bg-buff text-buff-ink" : "hover:bg-ground")}
    >
      <span className="flex items-baseline gap-2">
        <span className="font-mono text-sm font-medium">{p.device}</span>
        <span className={clsx("grow text-right text-sm", !on && "text-soft")}>
          {p.decides ? many(p.rules, "rule") : "no policy"}
        </span>
      </span>
      <span className="flex flex-wrap items-center gap-x-3 text-sm">
        {!p.decides && <HealthMark state="degraded" word="everything passes" />}
        {order
          .filter((f) => p.faults[f])
          .map((f) => (
            <span key={f} className="inline-flex items-center gap-1">
              <Shape state={faultShape[f] ?? "unknown"} size={10} />
              {p.faults[f]} {f}
            </span>
          ))}
        {p.decides && Object.keys(p.faults).length === 0 && <HealthMark state="well" word="nothing wrong" />}
      </span>
    </button>
  );
}

function Detail({ name, me }: { name: string; me: Person }) {
  const policy = usePolicy(name);
  const kept = useKept();
  const [view, setView] = useView("names");
  if (policy.isError) return <Failure error={policy.error} retry={() => void policy.refetch()} />;
  const p = policy.data;
  if (!p) return <Panel title={name}>{null}</Panel>;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <Panel
        title={
          <span className="flex flex-wrap items-baseline gap-x-3">
            <Link to={kept(`/devices/${name}`)} className="font-mono">
              {name}
            </Link>
            <span className="text-sm font-normal">{p.decides ? many(p.rules, "rule") : "no policy"}</span>
          </span>
        }
        aside={
          <Link to={kept(`/devices/${name}?tab=settings&object=policy/main`)} className="text-sm">
            {allowed(me, "change", "devices") ? "Edit the rules" : "In its settings"}
          </Link>
        }
      >
        <Rules p={p} />
      </Panel>
      {p.translations.length > 0 && (
        <Panel
          title={many(p.translations.length, "translation")}
          aside="of destinations before the rules, of sources after"
        >
          <Translations list={p.translations} />
        </Panel>
      )}
      <Panel
        title="What it knows by name"
        aside={
          <Choices
            label="Which names"
            value={view}
            of={[
              ["", "Zones"],
              ["address", "Addresses"],
              ["service", "Services"],
              ["inspection", "Inspections"],
              ["web-category", "Categories"],
            ]}
            pick={setView}
          />
        }
      >
        <Names p={p} kind={view || "security-zone"} />
        {!view && p.floods.length > 0 && <Floods list={p.floods} />}
        {view === "web-category" && <TakeInList me={me} />}
        {view === "inspection" && <Overrides p={p} may={allowed(me, "operate", "devices")} />}
        {view === "inspection" && p.found.length > 0 && <Found list={p.found} />}
      </Panel>
    </div>
  );
}

const heads = ["#", "Action", "From", "To", "Source", "Destination", "Service", "Decided", "Last", "Note"];

function Rules({ p }: { p: Policy }) {
  if (p.list.length === 0)
    return (
      <Empty title={p.decides ? "It denies everything" : "It lets everything pass"}>
        {p.decides
          ? "There is no rule, and what no rule fits is denied."
          : "It has no policy: make one in its settings."}
      </Empty>
    );
  return (
    <ScrollRegion label="Rules" className="max-h-[62vh] overflow-auto">
      <table className="w-full border-collapse text-left text-sm">
        <thead className="sticky top-0 z-10 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
          <tr>
            {heads.map((h) => (
              <th
                key={h}
                scope="col"
                className={clsx("h-7 whitespace-nowrap px-2 font-medium", h === "Decided" && "text-right")}
              >
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {p.list.map((r) => (
            <Rule key={r.number} r={r} />
          ))}
          <tr className="border-t border-rule text-soft">
            <td className="px-2 py-1" />
            <td className="px-2 py-1">
              <Action word="deny" />
            </td>
            <td className="px-2 py-1" colSpan={5}>
              what no rule fits
            </td>
            <td className="px-2 py-1 text-right tabular-nums">{count(p.unmatched_sessions)}</td>
            <td colSpan={2} className="px-2 py-1">
              {p.since && (
                <>
                  counted since <Ago at={p.since} />
                </>
              )}
            </td>
          </tr>
        </tbody>
      </table>
    </ScrollRegion>
  );
}

function Rule({ r }: { r: PolicyRule }) {
  const dead = r.fault === "past" || r.fault === "shadowed" || r.fault === "nobody";
  return (
    <tr className={clsx("border-t border-rule/60 align-top first:border-0", dead && "text-soft")}>
      <td className="px-2 py-1 tabular-nums text-soft">{r.number}</td>
      <td className="px-2 py-1">
        <Action word={r.action} />
      </td>
      <Cells list={r.from} />
      <Cells list={r.to} />
      <Cells list={r.source} />
      <Cells list={r.destination} />
      <Cells list={r.service} />
      <td className="px-2 py-1 text-right tabular-nums">{r.sessions === undefined ? "" : count(r.sessions)}</td>
      <td className="whitespace-nowrap px-2 py-1 text-soft">{r.last_at ? <Ago at={r.last_at} /> : "never"}</td>
      <td className="min-w-36 px-2 py-1">
        {r.note && <p>{r.note}</p>}
        {(r.inspect || r.during || r.until || r.log || r.layer) && (
          <p className="text-soft">
            {[
              r.inspect && `inspected by ${r.inspect}`,
              r.during && `during ${r.during}`,
              r.until && `until ${r.until}`,
              r.log && "logged",
              r.layer && `from ${r.layer.replace("/", " ")}`,
            ]
              .filter(Boolean)
              .join(", ")}
          </p>
        )}
        {r.fault && (
          <p className="flex items-center gap-1.5 text-ink">
            <Shape state={faultShape[r.fault] ?? "unknown"} size={10} />
            {faultWords(r)}
          </p>
        )}
      </td>
    </tr>
  );
}

const translationHeads = ["#", "Of", "From", "To", "Source", "Destination", "Service", "Into", "Did", "Last", "Note"];

function Translations({ list }: { list: PolicyTranslation[] }) {
  return (
    <ScrollRegion label="Translations" className="max-h-[40vh] overflow-auto">
      <table className="w-full border-collapse text-left text-sm">
        <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
          <tr>
            {translationHeads.map((h) => (
              <th
                key={h}
                scope="col"
                className={clsx("h-7 whitespace-nowrap px-2 font-medium", h === "Did" && "text-right")}
              >
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {list.map((t) => (
            <tr key={t.number} className="border-t border-rule/60 align-top first:border-0">
              <td className="px-2 py-1 tabular-nums text-soft">{t.number}</td>
              <td className="px-2 py-1">{t.kind}</td>
              <Cells list={t.from} />
              <Cells list={t.to} />
              <Cells list={t.source} />
              <Cells list={t.destination} />
              <Cells list={t.service} />
              <td className="whitespace-nowrap px-2 py-1 font-mono">
                {t.into || <span className="font-sans text-soft">its own</span>}
                {t.port ? ` :${t.port}` : ""}
              </td>
              <td className="px-2 py-1 text-right tabular-nums">{t.sessions === undefined ? "" : count(t.sessions)}</td>
              <td className="whitespace-nowrap px-2 py-1 text-soft">{t.last_at ? <Ago at={t.last_at} /> : "never"}</td>
              <td className="min-w-36 px-2 py-1">
                {t.note}
                {t.layer && <p className="text-soft">from {t.layer.replace("/", " ")}</p>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </ScrollRegion>
  );
}

/** What is wrong with a rule, as people say it. */
function faultWords(r: PolicyRule): string {
  const by = r.by?.length ? `${many(r.by.length, "rule").replace(/^\d+ /, "")} ${r.by.join(", ")}` : "";
  switch (r.fault) {
    case "shadowed":
      return `never decides: ${by} before it says otherwise`;
    case "redundant":
      return by ? `changes nothing: ${by} says the same` : "changes nothing: it is denied anyway";
    case "wide":
      return "lets everybody reach everything";
    case "past":
      return "its last day is over";
    case "nobody":
      return "what it names is nothing";
    case "unused":
      return "decided on nothing for 30 days";
  }
  return "too large to be looked at";
}

const actionShape: Record<string, string> = { allow: "well", deny: "down", reject: "degraded" };

function Action({ word }: { word: string }) {
  return <HealthMark state={actionShape[word] ?? "unknown"} word={word} />;
}

function Cells({ list }: { list: string[] }) {
  return (
    <td className={clsx("px-2 py-1 font-mono", list.length === 0 && "text-soft")}>
      {list.length === 0
        ? "any"
        : list.map((x) => (
            <div key={x} className="whitespace-nowrap">
              {x}
            </div>
          ))}
    </td>
  );
}

/** What stands before the values of what is known by name. */
const leads: Record<string, string> = {
  "zone-vlans": "VLAN ",
  interfaces: "",
  addresses: "",
  services: "",
  members: "with ",
  "category-names": "",
  "web-block": "blocks ",
  "web-override": "blocks until overridden ",
  "web-log": "logs ",
  "application-block": "blocks ",
  "application-limit": "limits ",
  "file-limit": "files over ",
  intrusion: "attacks from ",
  "flood-tcp": "TCP at most ",
  "flood-udp": "UDP at most ",
  "flood-icmp": "ICMP at most ",
  "mail-senders": "no mail from ",
  "mail-lists": "no mail of who is in ",
  "mail-words": "no mail with ",
};

const meaning = (n: PolicyName) =>
  Object.keys(leads)
    .filter((k) => n.values[k] && n.values[k] !== "none" && n.values[k] !== "off")
    .map(
      (k) =>
        (leads[k] ?? "") +
        (n.values[k] ?? "").replaceAll(",", ", ") +
        (k === "file-limit" ? " MiB" : k.startsWith("flood-") ? " a second" : ""),
    )
    .join(", ");

function Names({ p, kind }: { p: Policy; kind: string }) {
  const kept = useKept();
  const list = p.names.filter((n) => n.kind === kind);
  if (list.length === 0) return <Empty title="There is none">They are made in the settings of the firewall.</Empty>;
  return (
    <ScrollRegion label="Names" className="max-h-[40vh] overflow-auto">
      <table className="w-full border-collapse text-left text-sm">
        <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
          <tr>
            {["Name", "Is", "Used by", "Purpose"].map((h) => (
              <th key={h} scope="col" className="h-7 whitespace-nowrap px-2 font-medium">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {list.map((n) => (
            <tr key={n.name} className="border-t border-rule/60 align-top first:border-0">
              <td className="whitespace-nowrap px-2 py-1 font-mono">
                <Link to={kept(`/devices/${p.device}?tab=settings&object=${kind}/${n.name}`)}>{n.name}</Link>
              </td>
              <td className="min-w-24 px-2 py-1 font-mono">
                {meaning(n) || <span className="text-soft">nothing</span>}
              </td>
              <td className="px-2 py-1">
                {n.used_by.length === 0 ? (
                  <span className="text-soft">nobody</span>
                ) : (
                  n.used_by.join(", ").replaceAll(" of the policy", "")
                )}
              </td>
              <td className="px-2 py-1 text-soft">{n.purpose}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </ScrollRegion>
  );
}

/** What inspections found in sessions that were let begin. */
function Found({ list }: { list: InspectionFound[] }) {
  return (
    <ScrollRegion label="What inspections found" className="max-h-[40vh] overflow-auto border-t border-rule">
      <table className="w-full border-collapse text-left text-sm">
        <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
          <tr>
            {["Found", "By", "Blocked", "Limited", "Logged", "Last"].map((h) => (
              <th
                key={h}
                scope="col"
                className={clsx(
                  "h-7 whitespace-nowrap px-2 font-medium",
                  ["Blocked", "Limited", "Logged"].includes(h) && "text-right",
                )}
              >
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {list.map((f) => (
            <tr key={`${f.inspection} ${f.what}`} className="border-t border-rule/60 first:border-0">
              <td className="px-2 py-1">{f.what}</td>
              <td className="px-2 py-1 font-mono">{f.inspection}</td>
              <td className="px-2 py-1 text-right tabular-nums">{count(f.blocked_sessions)}</td>
              <td className="px-2 py-1 text-right tabular-nums">{count(f.limited_sessions)}</td>
              <td className="px-2 py-1 text-right tabular-nums">{count(f.logged_sessions)}</td>
              <td className="whitespace-nowrap px-2 py-1 text-soft">{f.last_at ? <Ago at={f.last_at} /> : "never"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </ScrollRegion>
  );
}
