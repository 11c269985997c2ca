import { type FormEvent, Suspense, useId, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import type { DeviceDetail, Operation, OperationKind, Port } from "../../api/client";
import { useDevice } from "../../api/queries";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Field, inputClass, Modal, Panel, ScrollRegion } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { late } from "../../ui/late";
import { Ago, dayTime } from "../../ui/time";
import { Files } from "./Files";
import { useAsk, useBehind, useCancelOperation, useOperation, useOperationKinds, useOperations } from "./queries";

const Frames = late(() => import("./Frames").then((m) => ({ default: m.Frames })));

/** What the device can be asked to do now: picked at the left, said and shown at the right, and what was asked before. */
export default function TestsTab({ d, chosen }: { d: DeviceDetail; chosen: Port[] }) {
  const kinds = useOperationKinds();
  const [ask, setAsk] = useView("ask");
  const [number, setNumber] = useView("operation");
  if (kinds.isError) return <Failure error={kinds.error} retry={() => void kinds.refetch()} />;
  if (!kinds.data) return <p className="text-soft">Reading what it can be asked…</p>;
  const offered = kinds.data.items.filter((k) => d.operations.includes(k.kind));
  const may = (k: OperationKind) =>
    d.rights.includes(k.right) || (k.right === "operate ports" && d.port_list.some((p) => p.may_change));
  const kind = offered.find((k) => k.kind === ask) ?? offered.find(may);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-3 lg:grid-cols-[240px_minmax(0,1fr)]">
      <Panel title="It can">
        <nav aria-label="What it can be asked" className="grid gap-0.5 p-2">
          {offered.map((k) => (
            <button
              key={k.kind}
              type="button"
              aria-current={k === kind}
              title={k.does}
              onClick={() => {
                setAsk(k.kind);
                setNumber("");
              }}
              className="flex h-7 w-full items-center rounded-sm border border-transparent px-2 text-left hover:border-rule aria-[current=true]:border-accent aria-[current=true]:bg-buff aria-[current=true]:text-buff-ink"
            >
              {k.title}
            </button>
          ))}
          {offered.length === 0 && <p className="px-2 text-soft">Nothing: it announces no tests.</p>}
        </nav>
      </Panel>
      <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
        {kind && (
          <Panel title={kind.title} aside={<span className="text-sm">It {kind.does}.</span>}>
            <div className="p-3">
              {d.reach !== "connected" ? (
                <p className="text-soft">The device is not connected: nothing can be asked of it now.</p>
              ) : may(kind) ? (
                <AskForm
                  key={kind.kind}
                  d={d}
                  k={kind}
                  chosen={chosen}
                  done={(o) => {
                    setAsk(kind.kind);
                    setNumber(String(o.number));
                  }}
                />
              ) : (
                <p className="text-soft">You may see what came back, not ask for it: that takes {kind.right}.</p>
              )}
              <Result
                number={Number(number) || 0}
                kinds={kinds.data.items}
                mayTest={d.rights.includes("operate tests")}
              />
            </div>
          </Panel>
        )}
        <Before device={d.name} picked={number} pick={setNumber} />
        {d.reach === "connected" && d.rights.includes("operate devices") && <Files device={d.name} />}
      </div>
    </div>
  );
}

function AskForm({
  d,
  k,
  chosen,
  done,
}: {
  d: DeviceDetail;
  k: OperationKind;
  chosen: Port[];
  done: (o: Operation) => void;
}) {
  const given = new URLSearchParams(window.location.search); // who sent somebody here may have said what to ask
  const [args, setArgs] = useState<Record<string, string>>(() =>
    Object.fromEntries(["to", "mac", "vlan", "over"].flatMap((n) => (given.get(n) ? [[n, given.get(n) ?? ""]] : []))),
  );
  const [asking, setAsking] = useState(false);
  const ask = useAsk(d.name);
  const picked = chosen.map((p) => p.port).join(",");
  const value = (p: OperationKind["params"][number]) => args[p.name] ?? (p.ports && !p.free ? picked : "") ?? "";
  const said = Object.fromEntries(k.params.map((p) => [p.name, value(p)]).filter(([, v]) => v !== ""));
  const lacks = k.params.some((p) => !p.default && !p.free && !said[p.name]?.trim());
  const go = () => ask.mutate({ kind: k.kind, args: said }, { onSuccess: done });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (k.disturbs) setAsking(true);
    else go();
  };
  return (
    <form onSubmit={submit}>
      <div className="grid grid-cols-[repeat(auto-fill,minmax(165px,1fr))] gap-x-3">
        {k.params.map((p) => (
          <Field
            key={p.name}
            label={p.title}
            meaning={p.help}
            help={
              p.default
                ? `${p.default}${p.unit ? ` ${p.unit}` : ""} when left out`
                : p.ports || p.free
                  ? p.help
                  : p.form
            }
          >
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className={inputClass}
                value={value(p)}
                placeholder={p.default}
                onChange={(e) => setArgs({ ...args, [p.name]: e.target.value })}
              />
            )}
          </Field>
        ))}
      </div>
      {ask.isError && (
        <p role="alert" className="mt-1 text-down">
          {ask.error.message}
        </p>
      )}
      <Button type="submit" kind="main" className="mt-1" disabled={lacks || ask.isPending}>
        {k.title}
        {k.disturbs ? "…" : ""}
      </Button>
      <Sure
        d={d}
        k={k}
        ports={said.ports?.split(/[\s,]+/) ?? []}
        open={asking}
        close={() => setAsking(false)}
        go={go}
      />
    </form>
  );
}

/** Asks before what disturbs: who loses what, and for a whole device its name. */
function Sure({
  d,
  k,
  ports,
  open,
  close,
  go,
}: {
  d: DeviceDetail;
  k: OperationKind;
  ports: string[];
  open: boolean;
  close: () => void;
  go: () => void;
}) {
  const [typed, setTyped] = useState("");
  const id = useId();
  const whole = !!k.leaves;
  const behind = useBehind(d.name, open && whole);
  const hit = d.port_list.filter((p) => (whole ? p.health === "well" : ports.includes(p.port)));
  return (
    <Modal
      open={open}
      onOpenChange={(on) => {
        setTyped("");
        if (!on) close();
      }}
      title={whole ? `${k.title} ${d.name}` : `${k.title} on ${d.name}`}
      description={k.disturbs ?? ""}
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          e.stopPropagation();
          if (whole && typed !== d.name) return;
          setTyped("");
          close();
          go();
        }}
      >
        {whole && behind.isError && (
          <p role="alert" className="mb-2 text-down">
            What hangs behind it is not known: {behind.error.message}
          </p>
        )}
        {whole && behind.data && (
          <p className="mb-2">
            {behind.data.devices.length === 0
              ? "No other device hangs behind it"
              : `${behind.data.devices.length} ${behind.data.devices.length === 1 ? "device hangs" : "devices hang"} behind it: ${behind.data.devices.join(", ")}`}
            {behind.data.clients > 0 && `; ${behind.data.clients} end stations are cut off`}.
          </p>
        )}
        {hit.length > 0 && (
          <ScrollRegion label="What is cut off" className="max-h-56 overflow-auto rounded border border-rule">
            <table className="w-full text-left text-sm">
              <tbody>
                {hit.map((p) => (
                  <tr key={p.port} className="border-b border-rule/60 last:border-0">
                    <td className="px-2 py-0.5 font-mono">{p.port}</td>
                    <td className="px-2">{p.description || <span className="text-soft">no description</span>}</td>
                    <td className="px-2 text-soft">{p.peer?.device ?? p.peer?.system ?? ""}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </ScrollRegion>
        )}
        {whole && (
          <label htmlFor={id} className="mt-2 block">
            Type <span className="font-mono">{d.name}</span> to go on
            <input
              id={id}
              className={`${inputClass} mt-1 w-full`}
              value={typed}
              onChange={(e) => setTyped(e.target.value)}
            />
          </label>
        )}
        <div className="mt-3 flex justify-end gap-2">
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" kind="main" disabled={whole && typed !== d.name}>
            {k.title}
          </Button>
        </div>
      </form>
    </Modal>
  );
}

const shape: Record<Operation["state"], string> = {
  running: "trial",
  done: "well",
  failed: "down",
  cancelled: "off",
  lost: "unknown",
};

/** What came back, while it comes. */
function Result({ number, kinds, mayTest }: { number: number; kinds: OperationKind[]; mayTest: boolean }) {
  const one = useOperation(number);
  const cancel = useCancelOperation();
  if (number === 0) return null;
  if (one.isError)
    return (
      <p role="alert" className="mt-3 text-down">
        {one.error.message}
      </p>
    );
  const o = one.data;
  const kind = kinds.find((k) => k.kind === o?.kind);
  if (!o || !kind) return <p className="mt-3 text-soft">Reading what came back…</p>;
  return (
    <section aria-label="What came back" className="mt-3 border-t border-rule pt-2">
      <header className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <span className="font-medium">
          {o.number}: {o.text}
        </span>
        <HealthMark state={shape[o.state]} word={o.state === "running" ? "goes on" : o.state} />
        <span className="text-sm text-soft">
          by {o.by}, <Ago at={o.started_at} />
        </span>
        <span className="grow" />
        {o.state === "running" && (
          <Button
            className="!h-6"
            disabled={cancel.isPending}
            onClick={() => cancel.mutate(o.number, { onError: (e) => toast.error(e.message) })}
          >
            Cancel
          </Button>
        )}
      </header>
      {o.why && (
        <p role="alert" className={o.state === "failed" ? "mt-1 text-down" : "mt-1 text-soft"}>
          {o.why}
        </p>
      )}
      {o.summary.length > 0 && (
        <dl className="mt-1 flex flex-wrap gap-x-5 text-sm">
          {o.summary.map((f) => (
            <div key={f.title} className="flex gap-1.5">
              <dt className="text-soft">{f.title}</dt>
              <dd className="font-medium tabular-nums">{f.value}</dd>
            </div>
          ))}
        </dl>
      )}
      {o.kind === "throughput" && o.state === "done" && mayTest && o.args.to && <Back from={o.args.to} to={o.device} />}
      {kind.captures && o.state !== "running" && mayTest && (
        <Suspense fallback={<p className="mt-2 text-soft">Reading the frames…</p>}>
          <Frames key={o.number} number={o.number} />
        </Suspense>
      )}
      {o.lines.length > 0 && !(kind.captures && o.state !== "running") && (
        <ScrollRegion label="Lines" className="mt-2 max-h-[320px] overflow-auto rounded border border-rule">
          <table className="w-full border-collapse text-left text-sm">
            <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                {kind.columns.map((c) => (
                  <th key={c.name} scope="col" className="h-7 whitespace-nowrap px-2 font-medium">
                    {c.title}
                    {c.unit ? `, ${c.unit}` : ""}
                  </th>
                ))}
                <th scope="col" className="px-2 text-right font-medium">
                  At
                </th>
              </tr>
            </thead>
            <tbody>
              {o.lines.map((l, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: lines keep their places
                <tr key={i} className="border-t border-rule/60 first:border-0">
                  {kind.columns.map((c) => (
                    <td
                      key={c.name}
                      className={`h-6 px-2 font-mono ${c.name === "fault" || (c.name === "state" && !["ok", "unknown"].includes(l.cells[c.name] ?? "ok")) ? "text-down" : ""}`}
                    >
                      {l.cells[c.name] ?? ""}
                    </td>
                  ))}
                  <td className="px-2 text-right text-soft tabular-nums">
                    {new Date(l.at).toLocaleTimeString("en-GB")}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </ScrollRegion>
      )}
    </section>
  );
}

/** The way to where the same is measured the other way round, if that is a device. */
function Back({ from, to }: { from: string; to: string }) {
  const there = useDevice(from);
  if (!there.data) return null;
  return (
    <p className="mt-1 text-sm">
      <Link to={`/devices/${encodeURIComponent(from)}?tab=tests&ask=throughput&to=${encodeURIComponent(to)}`}>
        Measure the way back, from {from}
      </Link>
    </p>
  );
}

/** What the device was asked before. */
function Before({ device, picked, pick }: { device: string; picked: string; pick: (number: string) => void }) {
  const list = useOperations(device);
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  if (!list.data) return null;
  return (
    <Panel title="Asked before">
      {list.data.items.length === 0 ? (
        <Empty title="It was asked nothing yet">What comes back of a test is kept here.</Empty>
      ) : (
        <ul>
          {list.data.items.map((o) => (
            <li key={o.number} className="border-b border-rule/60 last:border-0">
              <button
                type="button"
                aria-current={String(o.number) === picked}
                onClick={() => pick(String(o.number))}
                className="grid w-full grid-cols-[40px_110px_minmax(0,1fr)_auto] items-center gap-2 px-3 py-1 text-left hover:bg-buff hover:text-buff-ink aria-[current=true]:bg-buff aria-[current=true]:text-buff-ink"
              >
                <span className="text-soft tabular-nums">{o.number}</span>
                <HealthMark state={shape[o.state]} word={o.state === "running" ? "goes on" : o.state} />
                <span className="truncate">
                  {o.text}
                  <span className="ml-2 text-sm text-soft">
                    {o.why || o.summary.map((f) => `${f.title.toLowerCase()} ${f.value}`).join(", ")}
                  </span>
                </span>
                <span className="text-sm text-soft">
                  {o.by}, {dayTime(o.started_at)}
                </span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </Panel>
  );
}
