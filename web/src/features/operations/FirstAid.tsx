import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Operation, type OperationKind, type Port, take } from "../../api/client";
import { Button, Failure, Field, inputClass, Modal, ScrollRegion } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { operationKeys, useOperationKinds } from "./queries";

/** What can be done at ports of several devices at once, in the order in which it is offered. */
const kindsOf = ["bounce", "power-cycle", "reopen", "clear-counters", "cable-test", "locate"];

/** So many devices are asked at once. */
const atOnce = 8;

type Outcome = { state: "waiting" | "running" | "failed" | Operation["state"]; said: string };

/** First aid at picked ports of several devices: who loses what is told before, and what became of it, device by device, after. */
export function FirstAid({ ports, close }: { ports: Port[]; close: () => void }) {
  const kinds = useOperationKinds();
  const [name, setName] = useState("bounce");
  const [outcomes, setOutcomes] = useState<Record<string, Outcome>>();
  const qc = useQueryClient();
  const devices = [...new Set(ports.map((p) => p.device))].sort();
  const offered = (kinds.data?.items ?? [])
    .filter((k) => kindsOf.includes(k.kind))
    .sort((a, b) => kindsOf.indexOf(a.kind) - kindsOf.indexOf(b.kind));
  const kind = offered.find((k) => k.kind === name);
  const busy = Object.values(outcomes ?? {}).some((o) => o.state === "waiting" || o.state === "running");

  const one = async (device: string, k: OperationKind) => {
    const told = (o: Outcome) => setOutcomes((all) => ({ ...all, [device]: o }));
    try {
      const args = {
        ports: ports
          .filter((p) => p.device === device)
          .map((p) => p.port)
          .join(","),
      };
      let o = await take(
        api.POST("/api/v1/devices/{name}/operations", {
          params: { path: { name: device } },
          body: { kind: k.kind, args },
        }),
      );
      while (o.state === "running") {
        told({ state: "running", said: o.lines.at(-1)?.cells.step ?? "" });
        await new Promise((r) => window.setTimeout(r, 300));
        o = await take(api.GET("/api/v1/operations/{number}", { params: { path: { number: o.number } } }));
      }
      const came = o.summary.map((f) => `${f.title.toLowerCase()} ${f.value}`).join(", ");
      told({ state: o.state, said: o.why || came || (o.lines.at(-1)?.cells.step ?? "") });
    } catch (e) {
      told({ state: "failed", said: (e as Error).message });
    }
    void qc.invalidateQueries({ queryKey: operationKeys.of(device) });
  };
  const go = async (k: OperationKind) => {
    setOutcomes(Object.fromEntries(devices.map((d) => [d, { state: "waiting", said: "" }])));
    const left = [...devices];
    const worker = async () => {
      for (let d = left.shift(); d; d = left.shift()) await one(d, k);
    };
    await Promise.all(Array.from({ length: Math.min(atOnce, left.length) }, worker));
  };

  return (
    <Modal
      open
      wide
      onOpenChange={(on) => !on && close()}
      title={`First aid at ${ports.length} ports of ${devices.length} devices`}
      description="Each device does it by itself, and what became of it is told of each. What came back is kept at the device."
    >
      {kinds.isError && <Failure error={kinds.error} retry={() => void kinds.refetch()} />}
      <div className="grid gap-3">
        {kinds.data && (
          <Field label="Do" help={kind ? `Each device ${kind.does}.` : ""}>
            {(id, d) => (
              <select
                id={id}
                aria-describedby={d}
                className={inputClass}
                value={name}
                disabled={outcomes !== undefined}
                onChange={(e) => setName(e.target.value)}
              >
                {offered.map((k) => (
                  <option key={k.kind} value={k.kind}>
                    {k.title}
                  </option>
                ))}
              </select>
            )}
          </Field>
        )}
        {kind?.disturbs && !outcomes && <p className="text-degraded">{kind.disturbs}</p>}
        <ScrollRegion label="Where" className="max-h-[320px] overflow-auto rounded border border-rule">
          <table className="w-full border-collapse text-left text-sm">
            <tbody>
              {devices.map((d) => {
                const mine = ports.filter((p) => p.device === d);
                const o = outcomes?.[d];
                return (
                  <tr key={d} className="border-b border-rule/60 align-top last:border-0">
                    <th scope="row" className="whitespace-nowrap px-2 py-1 font-medium">
                      {d}
                    </th>
                    <td className="px-2 py-1">
                      {mine.map((p) => (
                        <div key={p.ref}>
                          <span className="font-mono">{p.port}</span>{" "}
                          <span className="text-soft">
                            {[p.description, p.peer?.device ?? p.peer?.system].filter(Boolean).join(", ")}
                          </span>
                        </div>
                      ))}
                    </td>
                    <td className="w-[40%] px-2 py-1">
                      {o && (
                        <>
                          <HealthMark
                            state={shape[o.state]}
                            word={o.state === "waiting" ? "waits" : o.state === "running" ? "goes on" : o.state}
                          />
                          {o.said && <p className={o.state === "failed" ? "text-down" : "text-soft"}>{o.said}</p>}
                        </>
                      )}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </ScrollRegion>
        <div className="flex justify-end gap-2">
          {outcomes ? (
            <Button kind="main" disabled={busy} onClick={close}>
              {busy ? "It goes on…" : "Close"}
            </Button>
          ) : (
            <>
              <Button onClick={close}>Leave it</Button>
              <Button kind="main" disabled={!kind} onClick={() => kind && void go(kind)}>
                {kind?.title ?? "Do it"}
              </Button>
            </>
          )}
        </div>
      </div>
    </Modal>
  );
}

const shape: Record<Outcome["state"], string> = {
  waiting: "unknown",
  running: "trial",
  done: "well",
  failed: "down",
  cancelled: "off",
  lost: "unknown",
};
