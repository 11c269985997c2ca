import { useMemo } from "react";
import { Link } from "react-router";
import { allowed, type History, type NetworkClient } from "../../api/client";
import { useMe } from "../../api/queries";
import { Chart, type Line } from "../../ui/chart";
import { Empty, Failure, Modal } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { Ago } from "../../ui/time";
import { beginOf, useClientHistory, useClientWay, useHistory } from "../history/queries";
import { RangeBar, useRange } from "../history/range";
import { rate } from "../ports/columns";
import { octets } from "../ports/PortPanel";
import { BlockButton } from "./BlockDialog";
import { LimitButton } from "./LimitDialog";

/** What is known of a client, and how it did over time: a wireless one by itself, a wired one by its port. */
export default function ClientDialog({ c, close }: { c: NetworkClient; close: () => void }) {
  const me = useMe().data;
  const rows: [string, React.ReactNode][] = [
    [
      "MAC address",
      <span key="m" className="font-mono text-sm">
        {c.mac}
      </span>,
    ],
    [
      "Address",
      <span key="a" className="font-mono text-sm">
        {c.address || "not told"}
      </span>,
    ],
    ["Maker", c.maker || "not known"],
    ["System", c.system || "not known"],
    [
      "Where",
      <Link
        key="w"
        className="font-mono text-sm"
        to={c.port ? `/devices/${c.device}?sel=${encodeURIComponent(c.port)}` : `/devices/${c.device}?tab=wireless`}
      >
        {c.port ? `${c.device}:${c.port}` : c.device}
      </Link>,
    ],
    ["Network", [c.ssid || "wired", c.band, c.vlan && `VLAN ${c.vlan}`].filter(Boolean).join(", ")],
    ["To it", c.use?.down_bps === undefined ? "not known" : rate(c.use.down_bps)],
    ["From it", c.use?.up_bps === undefined ? "not known" : rate(c.use.up_bps)],
    ["Used", c.use ? octets(c.use.up_octets + c.use.down_octets) : "not known"],
    ["Seen", <Ago key="s" at={c.last_seen} />],
  ];
  return (
    <Modal
      open
      wide
      onOpenChange={close}
      title={c.name || c.mac}
      description={`At ${c.site}, first seen ${new Date(c.first_seen).toLocaleString("en-GB")}`}
    >
      <dl className="mb-3 grid grid-cols-[90px_minmax(0,1fr)_90px_minmax(0,1fr)] gap-x-3 gap-y-1">
        {rows.map(([what, v]) => (
          <div key={what} className="contents">
            <dt className="text-soft">{what}</dt>
            <dd className="truncate">{v}</dd>
          </div>
        ))}
      </dl>
      {me && allowed(me, "change", "templates") && (
        <p className="mb-3 flex justify-end gap-2">
          {c.ssid && <LimitButton mac={c.mac} name={c.name || c.mac} me={me} done={close} />}
          <BlockButton mac={c.mac} name={c.name || c.mac} me={me} done={close} />
        </p>
      )}
      <Way mac={c.mac} />
      {c.ssid ? (
        <Wireless mac={c.mac} />
      ) : c.port ? (
        <Wired device={c.device} port={c.port} shared={!c.use && c.here} />
      ) : null}
    </Modal>
  );
}

/** The way from it to where its site is entered, with what is wrong there; and what can be tried from here. */
function Way({ mac }: { mac: string }) {
  const me = useMe().data;
  const way = useClientWay(mac);
  if (way.isError)
    return (
      <p role="alert" className="mb-2 text-down">
        {way.error.message}
      </p>
    );
  const w = way.data;
  if (!w) return <p className="mb-2 text-soft">Following its way…</p>;
  const first = w.hops[0];
  return (
    <section aria-label="Its way" className="mb-3 rounded border border-rule">
      <header className="flex flex-wrap items-center gap-x-3 border-b border-rule px-2 py-1 text-sm">
        <span className="font-medium">Its way</span>
        <HealthMark state={w.whole ? "well" : "degraded"} word={w.whole ? "is whole" : "is not whole"} />
        <span className="grow" />
        {first && w.client.address && (
          <Link
            to={`/devices/${w.hops.at(-1)?.device}?tab=tests&ask=ping&to=${encodeURIComponent(w.client.address)}`}
            title="Have the last device of the way ping it"
          >
            Ping it
          </Link>
        )}
        {w.client.address && me && allowed(me, "see", "configuration") && (
          <Link
            to={`/policies?view=reach&from=${encodeURIComponent(w.client.address)}`}
            title="What it can reach, by which line"
          >
            Can it reach…
          </Link>
        )}
        {first && !w.client.ssid && (
          <Link to={`/devices/${first.device}?tab=tests&ask=wake&mac=${mac}&vlan=${w.client.vlan ?? ""}`}>Wake it</Link>
        )}
      </header>
      <ol className="px-2 py-1 text-sm">
        {w.hops.map((h) => (
          <li key={h.device} className="flex flex-wrap items-baseline gap-x-2">
            <Link className="font-mono" to={`/devices/${h.device}`}>
              {h.device}
            </Link>
            <span className="text-soft">
              {[h.in && `in by ${h.in}`, h.out && `out by ${h.out}`].filter(Boolean).join(", ")}
            </span>
            {h.reach !== "connected" && <HealthMark state="down" word={h.reach} />}
            {h.not_carried && (
              <span className="text-down">
                {h.not_carried.join(", ")} {h.not_carried.length > 1 ? "do" : "does"} not carry VLAN {w.client.vlan}
              </span>
            )}
            {h.alarms?.map((a) => (
              <span key={a} className="text-down">
                {a}
              </span>
            ))}
          </li>
        ))}
        {w.hidden && <li className="text-soft">It goes on where you may not see it.</li>}
      </ol>
    </section>
  );
}

function Wireless({ mac }: { mac: string }) {
  const range = useRange();
  const history = useClientHistory(mac, range);
  return (
    <Over
      range={range}
      history={history}
      charts={[
        {
          title: "Use",
          lines: [
            ["down", "to it"],
            ["up", "from it"],
          ],
          least: 0,
        },
        { title: "Signal", lines: [["signal", "signal"]] },
      ]}
    />
  );
}

function Wired({ device, port, shared }: { device: string; port: string; shared: boolean }) {
  const range = useRange();
  const history = useHistory(device, "port", [port], "rx,tx", range);
  return (
    <Over
      range={range}
      history={history}
      charts={[
        {
          title: shared ? "Its port, which it shares with others" : "Use, by its port",
          lines: [
            ["tx", "to it"],
            ["rx", "from it"],
          ],
          least: 0,
        },
      ]}
    />
  );
}

type Asked = { data?: History; isError: boolean; error: Error | null; refetch: () => unknown };

function Over({
  range,
  history,
  charts,
}: {
  range: ReturnType<typeof useRange>;
  history: Asked;
  charts: { title: string; lines: [string, string][]; least?: number }[];
}) {
  const h = history.data;
  const drawn = useMemo(
    () =>
      charts
        .map((c) => ({
          ...c,
          drawn: c.lines.flatMap(([metric, name]): Line[] =>
            (h?.series ?? [])
              .filter((s) => s.metric === metric && s.mean.some((v) => v !== null))
              .map((s) => ({ name, mean: s.mean as (number | null)[], max: s.max as (number | null)[] })),
          ),
          unit: h?.series.find((s) => s.metric === c.lines[0]?.[0])?.unit ?? "",
        }))
        .filter((c) => c.drawn.length > 0),
    [charts, h],
  );
  return (
    <div className="rounded border border-rule">
      <div className="border-b border-rule px-3 py-1.5">
        <RangeBar range={range} />
      </div>
      {history.isError && history.error ? (
        <Failure error={history.error} retry={() => void history.refetch()} />
      ) : h && drawn.length === 0 ? (
        <Empty title="Nothing was read in this time" />
      ) : (
        h &&
        drawn.map((c) => (
          <Chart
            key={c.title}
            title={c.title}
            unit={c.unit}
            from={beginOf(h)}
            step={h.step_s}
            lines={c.drawn}
            least={c.least}
            group="client"
            height={110}
            onSpan={range.pick}
          />
        ))
      )}
    </div>
  );
}
