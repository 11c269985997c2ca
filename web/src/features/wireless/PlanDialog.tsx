import { Radar } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import type { Person } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Choices, Empty, Failure, Modal, ScrollRegion } from "../../ui/controls";
import { many } from "../../ui/time";
import { useBulk, useOwnDraft } from "../settings/queries";
import { usePlan } from "./queries";

/** On which channels the radios in the scope would disturb each other least, before and after; put into a draft. */
export function PlanDialog({ me, scope }: { me: Person; scope: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button kind="main" onClick={() => setOpen(true)}>
        <Radar size={15} aria-hidden /> Plan channels…
      </Button>
      {open && <Plan me={me} scope={scope} close={() => setOpen(false)} />}
    </>
  );
}

function Plan({ me, scope, close }: { me: Person; scope: string; close: () => void }) {
  const [band, setBand] = useState<"2.4" | "5" | "6">("5");
  const [, setTray] = useView("tray");
  const plan = usePlan(scope, band);
  const draft = useOwnDraft(me);
  const bulk = useBulk();
  const items = (plan.data?.items ?? []).toSorted(
    (a, b) => Number(b.after !== b.before) - Number(a.after !== a.before), // what moves first
  );
  const moves = items.filter((m) => m.after !== m.before);
  const stations = moves.reduce((n, m) => n + m.stations, 0);
  const put = () =>
    bulk.mutate(
      {
        change: draft,
        rows: moves.map((m) => ({ on: [`${m.device}:${m.port}`], set: { channel: String(m.after) } })),
      },
      {
        onSuccess: (a) => {
          if (!a.change) {
            toast.error(a.results[0]?.why ?? "Nothing is different.");
            return;
          }
          toast(`${many(moves.length, "radio")} in draft ${a.change.number}.`);
          close();
          setTray(String(a.change.number));
        },
      },
    );
  return (
    <Modal
      open
      wide
      onOpenChange={(on) => !on && close()}
      title="Plan channels"
      description="From what radios hear of each other and of strangers, and from how many stations are at each. Radios of the scope are moved where that leaves them more time."
    >
      <div className="grid gap-3">
        <Choices
          label="Band"
          value={band}
          of={[
            ["2.4", "2.4 GHz"],
            ["5", "5 GHz"],
            ["6", "6 GHz"],
          ]}
          pick={(b) => setBand(b as "2.4" | "5" | "6")}
        />
        {plan.isError && <Failure error={plan.error} retry={() => void plan.refetch()} />}
        {plan.data && items.length === 0 && <Empty title="There is no radio of that band in the scope" />}
        {items.length > 0 && plan.data && (
          <>
            <p>
              In the mean their channels are taken for{" "}
              <span className="font-medium tabular-nums">{plan.data.busy_before.toFixed(1)} %</span> of the time, and
              would be for <span className="font-medium tabular-nums">{plan.data.busy_after.toFixed(1)} %</span>.{" "}
              {moves.length === 0
                ? "No move is worth it."
                : `${many(moves.length, "radio")} would move; ${many(stations, "station")} would have to find them again.`}
            </p>
            <ScrollRegion label="Plan" className="max-h-[340px] overflow-auto rounded border border-rule">
              <table className="w-full border-collapse text-left text-sm">
                <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
                  <tr>
                    {["Radio", "MHz", "Channel", "Planned", "Busy", "Then", "Stations"].map((h, i) => (
                      <th key={h} scope="col" className={`h-7 px-2.5 font-medium ${i > 0 ? "text-right" : ""}`}>
                        {h}
                      </th>
                    ))}
                  </tr>
                </thead>
                <tbody className="tabular-nums">
                  {items.map((m) => (
                    <tr key={`${m.device}:${m.port}`} className="border-t border-rule/60 first:border-0">
                      <td className="h-6 px-2.5 font-mono">
                        {m.device}:{m.port}
                      </td>
                      <td className="px-2.5 text-right">{m.width_mhz}</td>
                      <td className="px-2.5 text-right">{m.before}</td>
                      <td className="px-2.5 text-right">
                        {m.after === m.before ? (
                          <span className="text-soft">stays</span>
                        ) : (
                          <span className="font-semibold text-accent">{m.after}</span>
                        )}
                      </td>
                      <td className="px-2.5 text-right">{m.busy_before.toFixed(0)} %</td>
                      <td className="px-2.5 text-right">{m.busy_after.toFixed(0)} %</td>
                      <td className="px-2.5 text-right">{m.stations}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </ScrollRegion>
          </>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Leave it</Button>
          <Button kind="main" disabled={moves.length === 0 || bulk.isPending} onClick={put}>
            Put it into a draft
          </Button>
        </div>
      </div>
    </Modal>
  );
}
