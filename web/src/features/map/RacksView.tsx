import { Link } from "react-router";
import type { Device } from "../../api/client";
import { both, useList } from "../../api/lists";
import { useScope } from "../../app/view";
import { Empty, Failure, Panel } from "../../ui/controls";
import { Shape } from "../../ui/health";
import { KindIcon } from "../../ui/kinds";

/** Racks, drawn from the place and the unit that are said of devices. */
export function RacksView() {
  const [scope] = useScope();
  const devices = useList("devices", {
    where: both(scope, 'rack ~ "?*"'),
    sort: "site,building,rack,name",
    limit: 5000,
  });
  if (devices.isError) return <Failure error={devices.error} retry={() => void devices.refetch()} />;
  if (!devices.data) return null;
  const racks = new Map<string, Device[]>();
  for (const d of devices.data.items) {
    const key = [d.site, d.building, d.floor && `floor ${d.floor}`, `rack ${d.rack}`].filter(Boolean).join(", ");
    racks.set(key, [...(racks.get(key) ?? []), d]);
  }
  if (racks.size === 0)
    return (
      <Empty title="No device is in a rack">
        Say of devices in which rack and unit they are, under Particulars, and their racks are drawn here.
      </Empty>
    );
  return (
    <div className="grid shrink-0 grid-cols-[repeat(auto-fill,minmax(270px,1fr))] items-start gap-3">
      {[...racks].map(([name, list]) => (
        <Rack key={name} name={name} devices={list} />
      ))}
    </div>
  );
}

function Rack({ name, devices }: { name: string; devices: Device[] }) {
  const placed = devices.filter((d) => d.rack_unit);
  const loose = devices.filter((d) => !d.rack_unit);
  const top = Math.max(12, ...placed.map((d) => (d.rack_unit ?? 0) + 1));
  const at = new Map<number, Device[]>();
  for (const d of placed) at.set(d.rack_unit ?? 0, [...(at.get(d.rack_unit ?? 0) ?? []), d]);
  return (
    <Panel title={name}>
      <ol className="p-3" aria-label={`Units of ${name}, from the top`}>
        {Array.from({ length: top }, (_, i) => top - i).map((unit) => (
          <li key={unit} className="grid h-[26px] grid-cols-[26px_minmax(0,1fr)] border-t border-rule/60 last:border-b">
            <span className="border-r-4 border-double border-rule pr-1 text-right text-xs leading-[26px] text-soft">
              {unit}
            </span>
            <span className="flex gap-1 border-r-4 border-double border-rule px-1 py-px">
              {(at.get(unit) ?? []).map((d) => (
                <Box key={d.name} d={d} />
              ))}
            </span>
          </li>
        ))}
      </ol>
      {loose.length > 0 && (
        <div className="grid gap-1 px-3 pb-3">
          <p className="text-xs text-soft">In the rack, unit not told</p>
          {loose.map((d) => (
            <Box key={d.name} d={d} />
          ))}
        </div>
      )}
    </Panel>
  );
}

function Box({ d }: { d: Device }) {
  return (
    <Link
      to={`/devices/${d.name}`}
      className="flex h-6 min-w-0 grow items-center gap-2 rounded-sm border border-rule bg-raised px-2 text-ink hover:border-soft hover:no-underline"
    >
      <Shape state={d.health} size={11} />
      <span className="text-soft">
        <KindIcon kind={d.kind} size={15} />
      </span>
      <span className="truncate font-mono text-sm">{d.name}</span>
      <span className="ml-auto truncate text-xs text-soft">{d.model}</span>
    </Link>
  );
}
