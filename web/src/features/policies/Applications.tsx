import { clsx } from "clsx";
import { Link } from "react-router";
import type { ApplicationUse } from "../../api/client";
import { useKept, useScope, useView } from "../../app/view";
import { Choices, Empty, Failure, Panel, ScrollRegion } from "../../ui/controls";
import { dayTime, many } from "../../ui/time";
import { octets } from "../ports/PortPanel";
import { useApplications } from "./queries";

const groupings = ["application", "site", "network", "client", "wireless"] as const;
type By = (typeof groupings)[number];

const count = (n: number) => n.toLocaleString("en-GB");

/** Which applications were used, as the firewalls of the scope recognize them. */
export function Applications() {
  const [scope] = useScope();
  const [by, setBy] = useView("by", "application");
  const [application, setApplication] = useView("application");
  const [hours, setHours] = useView("hours", "24");
  const how = groupings.find((g) => g === by) ?? "application";
  const list = useApplications(scope, how, application, Number(hours) || 24);
  const u = list.data;
  const most = Math.max(1, ...(u?.items ?? []).map((x) => x.up_octets + x.down_octets));
  return (
    <Panel
      title={
        <span className="flex flex-wrap items-baseline gap-x-3">
          {application ? (
            <>
              <span>{application}</span>
              <button
                type="button"
                className="text-sm font-normal underline"
                onClick={() => {
                  setApplication("");
                  setBy("application");
                }}
              >
                all applications
              </button>
            </>
          ) : (
            "Applications"
          )}
          {u?.since && <span className="text-sm font-normal">since {dayTime(u.since)}</span>}
        </span>
      }
      aside={
        <span className="flex flex-wrap items-center gap-3">
          <Choices
            label="Hours"
            value={hours}
            of={[
              ["1", "This hour"],
              ["4", "4 hours"],
              ["24", "24 hours"],
            ]}
            pick={setHours}
          />
          <Choices
            label="Added up by"
            value={how}
            of={[
              ["application", "Application"],
              ["site", "Site"],
              ["network", "Network"],
              ["client", "Client"],
              ["wireless", "Wireless network"],
            ]}
            pick={setBy}
          />
        </span>
      }
    >
      {list.isError ? (
        <Failure error={list.error} retry={() => void list.refetch()} />
      ) : u && u.items.length === 0 ? (
        <Empty title="Nothing was recognized">
          Firewalls that recognize applications count what stations use through them. The scope may leave them out.
        </Empty>
      ) : (
        <ScrollRegion label="Applications" className="max-h-[68vh] overflow-auto">
          <table className="w-full border-collapse text-left text-sm">
            <thead className="sticky top-0 z-10 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                {headsOf(how).map((h) => (
                  <th
                    key={h}
                    scope="col"
                    className={clsx("h-7 whitespace-nowrap px-3 font-medium", numbers.has(h) && "text-right")}
                  >
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {(u?.items ?? []).map((x) => (
                <Row
                  key={`${x.application} ${x.ssid} ${x.category} ${x.site} ${x.network} ${x.address}`}
                  u={x}
                  by={how}
                  most={most}
                  pick={() => {
                    setApplication(x.application);
                    setBy("client");
                  }}
                />
              ))}
            </tbody>
          </table>
        </ScrollRegion>
      )}
      {u && u.total > u.items.length && (
        <p className="border-t border-rule px-3 py-1.5 text-soft">
          These are the first {u.items.length} of {u.total}.
        </p>
      )}
      {u?.unread.map((x) => (
        <p key={x.device} className="border-t border-rule px-3 py-1.5 text-down">
          {x.device} did not tell: {x.why}
        </p>
      ))}
    </Panel>
  );
}

const numbers = new Set(["Stations", "Sessions", "Denied", "Up", "Down"]);

const headsOf = (by: By) => [
  by === "wireless" ? "Wireless network" : "Application",
  "Category",
  ...(by === "application" || by === "wireless" ? [] : ["Site"]),
  ...(by === "network" || by === "client" ? ["Network"] : []),
  ...(by === "client" ? ["Station"] : ["Stations"]),
  "Sessions",
  "Denied",
  "Up",
  "Down",
  "",
];

function Row({ u, by, most, pick }: { u: ApplicationUse; by: By; most: number; pick: () => void }) {
  const kept = useKept();
  return (
    <tr className="border-t border-rule/60 first:border-0">
      <td className="px-3 py-1">
        {by === "client" || by === "wireless" ? (
          u.ssid || u.application
        ) : (
          <button type="button" className="text-accent hover:underline" onClick={pick}>
            {u.application}
          </button>
        )}
      </td>
      <td className="px-3 py-1 text-soft">{u.category}</td>
      {by !== "application" && by !== "wireless" && <td className="px-3 py-1">{u.site}</td>}
      {(by === "network" || by === "client") && <td className="px-3 py-1 font-mono">{u.network}</td>}
      {by === "client" ? (
        <td className="whitespace-nowrap px-3 py-1 font-mono">
          <Link to={kept(`/clients?find=${encodeURIComponent(u.address ?? "")}`)}>{u.name || u.address}</Link>
        </td>
      ) : (
        <td className="px-3 py-1 text-right tabular-nums">{count(u.clients)}</td>
      )}
      <td className="px-3 py-1 text-right tabular-nums">{count(u.sessions)}</td>
      <td className={clsx("px-3 py-1 text-right tabular-nums", u.denied > 0 && "text-down")}>{count(u.denied)}</td>
      <td className="whitespace-nowrap px-3 py-1 text-right tabular-nums">{octets(u.up_octets)}</td>
      <td className="whitespace-nowrap px-3 py-1 text-right tabular-nums">{octets(u.down_octets)}</td>
      <td className="w-1/5 px-3 py-1" aria-hidden title={many(u.clients, "station")}>
        <div
          className="h-2 rounded-sm bg-soft/60"
          style={{ width: `${(100 * (u.up_octets + u.down_octets)) / most}%` }}
        />
      </td>
    </tr>
  );
}
