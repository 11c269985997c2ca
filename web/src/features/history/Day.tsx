import { Strip } from "../../ui/strip";
import { useStrips } from "./queries";

/** The last 24 hours of a device, or of one of its ports, by the alarms on it. */
export function Day({ device, port = "" }: { device: string; port?: string }) {
  const strips = useStrips(port ? "port" : "device", `name = ${device}`);
  if (!strips.data) return null;
  const name = port ? `${device}:${port}` : device;
  const own = strips.data.items.find((x) => x.name === name);
  const steps = own?.steps ?? (port ? Array<string>(96).fill("") : undefined);
  if (!steps) return null;
  return (
    <div className="flex items-center gap-3 border-b border-rule px-3 py-1.5 text-sm text-soft">
      <span className="shrink-0">Out of order in the last 24 hours</span>
      <Strip of={name} from={strips.data.from} step={strips.data.step_s} steps={steps} />
    </div>
  );
}
