import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { allowed, type Person, type RadioLink, type RadioLinkEnd, type RadioLinkFared } from "../../api/client";
import { useKept, useView } from "../../app/view";
import { Button, Choices, Empty, Failure, Field, inputClass, Modal, Panel } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { type Column, Table } from "../../ui/table";
import { many, span } from "../../ui/time";
import { useOwnDraft } from "../settings/queries";
import { LicenceDialog } from "./LicenceDialog";
import { useRadioLink, useRadioLinks, useSetRadioLink } from "./queries";

const dBm = (f?: number) => (f === undefined ? "" : f.toFixed(1));

/** How an end is, in a word. */
function standing(e: RadioLinkEnd): [shape: string, word: string] {
  if (e.away) return ["unknown", "away"];
  if (!e.sends) return ["down", "muted"];
  return e.up ? ["well", "up"] : ["down", "down"];
}

/** The radio links between sites with both their ends; of one all of it. */
export function RadioLinks({ scope, me }: { scope: string; me: Person }) {
  const list = useRadioLinks(scope);
  const [sort, setSort] = useView("lsort", "from");
  const [picked, pick] = useView("link");
  const rows = list.data?.items ?? [];
  const columns: Column<RadioLink>[] = [
    {
      key: "from",
      head: "From",
      mono: true,
      sort: (l) => l.near.device,
      cell: (l) => (
        <button
          type="button"
          className="text-accent hover:underline"
          aria-pressed={l.near.device === picked}
          onClick={() => pick(l.near.device)}
        >
          {l.near.device}
        </button>
      ),
    },
    {
      key: "to",
      head: "To",
      mono: true,
      sort: (l) => l.far?.device ?? "",
      cell: (l) => l.far?.device ?? <span className="font-sans text-soft">not known here</span>,
    },
    {
      key: "state",
      head: "State",
      sort: (l) => Number(l.up),
      cell: (l) => <HealthMark state={l.up ? "well" : "down"} word={l.up ? "up" : "down"} />,
    },
    { key: "tx", head: "Sends, MHz", right: true, sort: (l) => l.near.tx_mhz, cell: (l) => l.near.tx_mhz },
    { key: "rx", head: "Hears, MHz", right: true, sort: (l) => l.near.rx_mhz, cell: (l) => l.near.rx_mhz },
    {
      key: "level",
      head: "Level, dBm",
      right: true,
      sort: (l) => l.near.received_dbm ?? -200,
      cell: (l) => dBm(l.near.received_dbm),
    },
    {
      key: "clear",
      head: "In clear air",
      right: true,
      sort: (l) => l.near.expected_dbm ?? -200,
      cell: (l) => dBm(l.near.expected_dbm),
    },
    { key: "modulation", head: "Modulation", sort: (l) => l.near.modulation ?? "", cell: (l) => l.near.modulation },
    {
      key: "capacity",
      head: "Carries, Mbit/s",
      right: true,
      sort: (l) => l.near.capacity_mbps,
      cell: (l) => l.near.capacity_mbps,
    },
    {
      key: "why",
      head: "Why it is down",
      sort: (l) => l.why.length,
      cell: (l) => (
        <span className="block max-w-52 truncate" title={l.why.join(" ")}>
          {l.why[0]}
        </span>
      ),
    },
  ];
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  const down = rows.filter((l) => !l.up).length;
  return (
    <>
      <Panel title={many(rows.length, "radio link")} aside={down > 0 ? `${down} down` : undefined}>
        <Table
          label="Radio links"
          columns={columns}
          rows={rows}
          rowKey={(l) => l.near.device}
          sort={sort}
          onSort={setSort}
          className={picked ? "max-h-60" : "max-h-[calc(100vh-200px)]"}
          empty={
            list.data ? (
              <Empty title="No device here is an end of a radio link">Point-to-point radios are listed here.</Empty>
            ) : null
          }
        />
      </Panel>
      {picked && <One key={picked} device={picked} me={me} />}
    </>
  );
}

const lines: [title: string, of: (e: RadioLinkEnd) => string][] = [
  ["Sends on", (e) => `${e.tx_mhz} MHz`],
  ["Hears on", (e) => `${e.rx_mhz} MHz`],
  ["Channel", (e) => `${e.separation_mhz} MHz, ${e.polarization}`],
  [
    "Power",
    (e) =>
      e.sent_dbm === undefined
        ? `nothing of ${dBm(e.nominal_dbm)} dBm`
        : `${dBm(e.sent_dbm)} of ${dBm(e.nominal_dbm)} dBm, ${e.power_mode}`,
  ],
  ["Level", (e) => (e.received_dbm === undefined ? "nothing is heard" : `${dBm(e.received_dbm)} dBm`)],
  ["In clear air", (e) => (e.expected_dbm === undefined ? "not known" : `${dBm(e.expected_dbm)} dBm`)],
  ["Needs", (e) => (e.need_dbm === undefined ? "not known" : `${dBm(e.need_dbm)} dBm for ${e.lowest}`)],
  ["Modulation", (e) => `${e.modulation || "none"}, of ${e.lowest} to ${e.highest}`],
  ["Carries", (e) => `${e.capacity_mbps} Mbit/s`],
  [
    "Licence",
    (e) => (e.licence ? `${e.licence.number}${e.licence.ends ? `, to ${e.licence.ends}` : ""}` : "none is known"),
  ],
];

/** One link: both ends beside each other, and how they fared. */
function One({ device, me }: { device: string; me: Person }) {
  const [period, setPeriod] = useView("fared", "24h");
  const got = useRadioLink(device, period);
  const kept = useKept();
  const [setting, set] = useState(false);
  const [handing, hand] = useState(false);
  const [licensing, license] = useState<RadioLinkEnd>();
  const [sort, setSort] = useView("fsort", "device");
  if (got.isError) return <Failure error={got.error} retry={() => void got.refetch()} />;
  if (!got.data) return <p className="text-soft">Reading {device}…</p>;
  const { link, fared, left_mbps } = got.data;
  const ends = link.far ? [link.near, link.far] : [link.near];
  return (
    <>
      <Panel title={link.far ? `${link.near.device} and ${link.far.device}` : link.near.device}>
        {link.why.length > 0 && (
          <ul aria-label="Why it is down" className="grid list-disc gap-1 border-b border-rule py-2 pl-8 pr-3">
            {link.why.map((w) => (
              <li key={w}>{w}</li>
            ))}
          </ul>
        )}
        <div className="grid divide-y divide-rule sm:grid-cols-2 sm:divide-x sm:divide-y-0">
          {ends.map((e) => {
            const [shape, word] = standing(e);
            return (
              <section key={e.device} aria-label={e.device} className="p-3">
                <h3 className="mb-1 flex flex-wrap items-center gap-x-3">
                  <Link to={kept(`/devices/${e.device}`)} className="font-mono text-accent hover:underline">
                    {e.device}
                  </Link>
                  <span className="text-soft">{e.site}</span>
                  <HealthMark state={shape} word={word} />
                  <Link
                    to={kept(`/devices/${e.device}?tab=history&part=radio-link`)}
                    className="text-accent text-sm hover:underline"
                  >
                    over time
                  </Link>
                </h3>
                <dl className="grid grid-cols-[100px_minmax(0,1fr)] gap-x-3 gap-y-0.5">
                  {lines.map(([title, of]) => (
                    <div key={title} className="contents">
                      <dt className="text-soft">{title}</dt>
                      <dd className="tabular-nums">{of(e)}</dd>
                    </div>
                  ))}
                </dl>
                {e.breach && (
                  <ul
                    aria-label={`What is wrong with the licence of ${e.device}`}
                    className="mt-1 grid list-disc gap-1 pl-5"
                  >
                    {e.breach.map((b) => (
                      <li key={b}>{b}</li>
                    ))}
                  </ul>
                )}
                {allowed(me, "operate", "devices") && (
                  <button
                    type="button"
                    className="mt-2 text-accent hover:underline"
                    onClick={() => license(e)}
                    aria-label={`Licence of ${e.device}…`}
                  >
                    Licence…
                  </button>
                )}
              </section>
            );
          })}
        </div>
        <div className="flex flex-wrap justify-end gap-2 border-t border-rule px-3 py-2">
          <Button onClick={() => hand(true)}>For its customer…</Button>
          {link.far && allowed(me, "change", "ports") && <Button onClick={() => set(true)}>Set both ends…</Button>}
        </div>
      </Panel>
      <Panel
        title="How it fared"
        aside={
          <Choices
            label="Over how long"
            value={period}
            of={[
              ["24h", "A day"],
              ["7d", "A week"],
              ["30d", "30 days"],
            ]}
            pick={setPeriod}
          />
        }
      >
        <Table
          label="How it fared"
          columns={faredColumns}
          rows={fared}
          rowKey={(f) => f.device}
          sort={sort}
          onSort={setSort}
          empty={null}
        />
        {left_mbps !== undefined && (
          <p className="border-t border-rule px-3 py-1.5 text-sm">
            {Math.round(left_mbps)} Mbit/s are left beside the busiest {span(1000 * (fared[0]?.step_s ?? 60))} of that
            time.
          </p>
        )}
      </Panel>
      {licensing && <LicenceDialog end={licensing} close={() => license(undefined)} />}
      {setting && link.far && <SetDialog link={link} me={me} close={() => set(false)} />}
      {handing && fared[0] && (
        <Handout link={link} fared={fared[0]} left={left_mbps} period={period} close={() => hand(false)} />
      )}
    </>
  );
}

const seconds = (f: number) => f.toFixed(0);
const available = (f: RadioLinkFared) => (f.counted_s > 0 ? `${(100 * f.availability).toFixed(4)} %` : "");

const faredColumns: Column<RadioLinkFared>[] = [
  { key: "device", head: "End", mono: true, sort: (f) => f.device, cell: (f) => f.device },
  { key: "lowest", head: "Lowest, dBm", right: true, sort: (f) => f.lowest_dbm ?? 0, cell: (f) => dBm(f.lowest_dbm) },
  { key: "highest", head: "Highest", right: true, sort: (f) => f.highest_dbm ?? 0, cell: (f) => dBm(f.highest_dbm) },
  {
    key: "least",
    head: "Least, Mbit/s",
    right: true,
    sort: (f) => f.capacity_mbps,
    cell: (f) => f.capacity_mbps.toFixed(0),
  },
  { key: "es", head: "Errored seconds", right: true, sort: (f) => f.errored_s, cell: (f) => seconds(f.errored_s) },
  { key: "ses", head: "Severely", right: true, sort: (f) => f.severely_s, cell: (f) => seconds(f.severely_s) },
  {
    key: "uas",
    head: "Unavailable",
    right: true,
    sort: (f) => f.unavailable_s,
    cell: (f) => (f.unavailable_s >= 1 ? span(1000 * f.unavailable_s) : "0"),
  },
  { key: "available", head: "Available", right: true, sort: (f) => f.availability, cell: available },
  {
    key: "peak",
    head: "Busiest in, Mbit/s",
    right: true,
    sort: (f) => f.rx_peak_mbps,
    cell: (f) => f.rx_peak_mbps.toFixed(1),
  },
  { key: "most", head: "95 % below", right: true, sort: (f) => f.rx_most_mbps, cell: (f) => f.rx_most_mbps.toFixed(1) },
];

/** What a customer of a link is told: how it served, without names of devices and frequencies. */
function Handout({
  link,
  fared: f,
  left,
  period,
  close,
}: {
  link: RadioLink;
  fared: RadioLinkFared;
  left?: number;
  period: string;
  close: () => void;
}) {
  const step = span(1000 * f.step_s);
  const rows: [string, string][] = [
    ["State", link.up ? "up" : "down"],
    ["Available", available(f)],
    ["Unavailable", f.unavailable_s >= 1 ? span(1000 * f.unavailable_s) : "at no time"],
    ["Seconds with errors", seconds(f.errored_s)],
    ["Carries now", `${link.near.capacity_mbps} Mbit/s`],
    ["Least that it carried", `${f.capacity_mbps.toFixed(0)} Mbit/s`],
    [`Busiest ${step}, to ${link.near.site}`, `${f.rx_peak_mbps.toFixed(1)} Mbit/s`],
    [`Busiest ${step}, from ${link.near.site}`, `${f.tx_peak_mbps.toFixed(1)} Mbit/s`],
    ["Left", left === undefined ? "not known" : `${Math.round(left)} Mbit/s`],
  ];
  return (
    <Modal
      open
      onOpenChange={close}
      title={link.far ? `Radio link between ${link.near.site} and ${link.far.site}` : `Radio link of ${link.near.site}`}
      description={`The last ${period}, up to ${new Date().toLocaleString(undefined, { dateStyle: "long", timeStyle: "short" })}.`}
    >
      <dl className="grid grid-cols-[minmax(160px,max-content)_minmax(0,1fr)] gap-x-4 gap-y-1">
        {rows.map(([what, value]) => (
          <div key={what} className="contents">
            <dt className="text-soft">{what}</dt>
            <dd className="tabular-nums">{value}</dd>
          </div>
        ))}
      </dl>
      <p className="mt-3 text-xs text-soft">
        Availability and seconds with errors are counted as ITU-T G.828 has them. Rates are means of {step}.
      </p>
      <div className="mt-3 flex justify-end gap-2 print:hidden">
        <Button onClick={close}>Close</Button>
        <Button kind="main" onClick={() => window.print()}>
          Print it
        </Button>
      </div>
    </Modal>
  );
}

const fields: [name: string, label: string, help: string, of: (e: RadioLinkEnd) => string][] = [
  ["tx-frequency", "Sends on, MHz", "the other end hears there", (e) => String(e.tx_mhz)],
  ["rx-frequency", "Hears on, MHz", "the other end sends there", (e) => String(e.rx_mhz)],
  ["channel-separation", "Channel separation, MHz", "alike at both ends", (e) => String(e.separation_mhz)],
  ["nominal-power", "Power at most, dBm", "of each end", (e) => String(e.nominal_dbm)],
];

const picks: [name: string, label: string, values: string[], of: (e: RadioLinkEnd) => string][] = [
  ["polarization", "Polarisation", ["vertical", "horizontal"], (e) => e.polarization],
  ["power-mode", "Power control", ["fixed", "automatic"], (e) => e.power_mode],
  [
    "modulation-lowest",
    "Lowest modulation",
    ["qpsk", "16-qam", "64-qam", "256-qam", "1024-qam"],
    (e) => e.lowest.toLowerCase(),
  ],
  [
    "modulation-highest",
    "Highest modulation",
    ["qpsk", "16-qam", "64-qam", "256-qam", "1024-qam"],
    (e) => e.highest.toLowerCase(),
  ],
];

/** Puts into a draft how both ends send and hear. What is left as it is is not touched. */
function SetDialog({ link, me, close }: { link: RadioLink; me: Person; close: () => void }) {
  const first = Object.fromEntries([...fields, ...picks].map(([name, , , of]) => [name, of(link.near)]));
  const [v, setV] = useState<Record<string, string>>(first);
  const put = useSetRadioLink();
  const draft = useOwnDraft(me);
  const [, setTray] = useView("tray");
  const changed = Object.fromEntries(Object.entries(v).filter(([name, value]) => value.trim() !== first[name]));
  const submit = (e: FormEvent) => {
    e.preventDefault();
    put.mutate(
      { device: link.near.device, set: changed, change: draft },
      {
        onSuccess: (a) => {
          if (!a.change) {
            toast.error(a.results.find((r) => r.why)?.why ?? "Both ends have that already.");
            return;
          }
          close();
          setTray(String(a.change.number));
        },
      },
    );
  };
  return (
    <Modal
      open
      wide
      onOpenChange={close}
      title={`Set both ends, as of ${link.near.device}`}
      description={`${link.far?.device} is set to fit: what this end sends on, it hears on. Both go into one draft.`}
    >
      <form onSubmit={submit} className="grid gap-x-3 gap-y-1 sm:grid-cols-2">
        {fields.map(([name, label, help]) => (
          <Field key={name} label={label} help={help}>
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                inputMode="decimal"
                className={`${inputClass} font-mono`}
                value={v[name] ?? ""}
                onChange={(e) => setV({ ...v, [name]: e.target.value })}
              />
            )}
          </Field>
        ))}
        {picks.map(([name, label, values]) => (
          <Field key={name} label={label}>
            {(id) => (
              <select
                id={id}
                className={inputClass}
                value={v[name] ?? ""}
                onChange={(e) => setV({ ...v, [name]: e.target.value })}
              >
                {values.map((x) => (
                  <option key={x}>{x}</option>
                ))}
              </select>
            )}
          </Field>
        ))}
        <p className="text-soft text-sm sm:col-span-2">
          Levels that automatic power aims at, and whether an end sends at all, are settings of its port.
        </p>
        {put.isError && (
          <div className="sm:col-span-2">
            <Failure error={put.error} />
          </div>
        )}
        <div className="flex justify-end gap-2 sm:col-span-2">
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="main" disabled={Object.keys(changed).length === 0 || put.isPending}>
            Put it into a draft
          </Button>
        </div>
      </form>
    </Modal>
  );
}
