import { Failure, Modal } from "../../ui/controls";
import { Shape } from "../../ui/health";
import { useJoining } from "./queries";

const names: Record<string, string> = {
  heard: "Heard",
  taken: "Taken",
  "let-in": "Let in",
  carried: "Carried in its VLAN",
  addressed: "Has an address",
};
const shapes: Record<string, string> = { done: "well", failed: "down", unknown: "unknown" };
const states: Record<string, string> = { done: "done", failed: "failed", unknown: "not got to" };

/** How a station joins a wireless network, step by step, and where it stops. */
export function JoiningDialog({ mac, close }: { mac: string; close: () => void }) {
  const steps = useJoining(mac);
  return (
    <Modal
      open
      onOpenChange={(on) => !on && close()}
      title={`How ${mac} joins`}
      description="Step by step, as the access points tell. The first step that failed is what is in the way."
      wide
    >
      {steps.isError && <Failure error={steps.error} retry={() => void steps.refetch()} />}
      <ol className="grid gap-2">
        {steps.data?.items.map((s) => (
          <li key={s.name} className="grid grid-cols-[20px_150px_minmax(0,1fr)] items-start gap-2">
            <span className="pt-1">
              <Shape state={shapes[s.state] ?? "unknown"} size={12} />
            </span>
            <span className="font-medium">{names[s.name] ?? s.name}</span>
            <span>
              <span className="sr-only">{states[s.state]}. </span>
              {s.says || <span className="text-soft">not got to</span>}
              {s.remedy && <span className="block text-soft">{s.remedy}</span>}
            </span>
          </li>
        ))}
      </ol>
    </Modal>
  );
}
