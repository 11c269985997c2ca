import { clsx } from "clsx";
import type { DeviceDetail, FacePort, Port } from "../../api/client";
import { isDraft, useChanges } from "../../api/queries";
import { Shape } from "../../ui/health";
import type { usePicked } from "../ports/selection";

/**
 * The front of a device, as it is built. Ports are picked by a click, with Shift from one to another, with Ctrl one more,
 * or by drawing over them.
 */
export function Face({ d, picked }: { d: DeviceDetail; picked: ReturnType<typeof usePicked> }) {
  const ports = new Map(d.port_list.map((p) => [p.port, p]));
  const changes = useChanges();
  const edited = new Set(changes.data?.items.filter(isDraft).flatMap((c) => c.differences.map((x) => x.port)) ?? []);
  const units = [...new Set(d.face.map((f) => f.unit))];
  return (
    <div className="overflow-x-auto px-4 py-3">
      <div className="grid justify-items-start gap-2">
        {units.map((unit) => {
          const box = d.face.filter((f) => f.unit === unit);
          const member =
            d.inside?.cluster?.kind === "stack"
              ? d.inside.cluster.members.find((m) => m.name === String(unit))
              : undefined;
          return (
            <div
              key={unit}
              className="inline-flex items-center gap-5 rounded-md border border-rule bg-ground px-4 py-2.5"
            >
              <div className="w-20 shrink-0 text-xs leading-tight text-soft">
                <div className="font-semibold text-ink">{d.maker}</div>
                <div className="font-mono">{d.model}</div>
                {units.length > 1 && (
                  <div>
                    unit {unit}
                    {member?.role && `, ${member.role}`}
                  </div>
                )}
              </div>
              {[...new Set(box.map((f) => f.group))].map((g) => {
                const here = box.filter((f) => f.group === g);
                const first = Math.min(...here.map((f) => f.column));
                return (
                  <div key={g} className="grid gap-x-[3px] gap-y-1">
                    {here.map((f) => (
                      <FacePortButton
                        key={f.port}
                        f={f}
                        p={ports.get(f.port)}
                        on={picked.set.has(f.port)}
                        edited={edited.has(`${d.name}:${f.port}`)}
                        picked={picked}
                        column={f.column - first + 1}
                      />
                    ))}
                  </div>
                );
              })}
            </div>
          );
        })}
      </div>
      <ul className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-xs text-soft" aria-label="Legend">
        {[
          ["well", "up"],
          ["down", "lost its link"],
          ["off", "off or free"],
          ["unknown", "unknown"],
        ].map(([state, word]) => (
          <li key={state} className="flex items-center gap-1.5">
            <Shape state={state as string} size={10} /> {word}
          </li>
        ))}
        <li>⚡ feeds power</li>
        <li>↑ leads to another device</li>
        <li>
          <span className="mr-1 inline-block h-2.5 w-3.5 border border-dashed border-accent align-[-1px]" /> in a draft
        </li>
      </ul>
    </div>
  );
}

function describe(f: FacePort, p: Port | undefined, edited: boolean): string {
  if (!p) return `Port ${f.port}`;
  const parts = [`Port ${p.port}`, p.health];
  if (p.description) parts.push(p.description);
  if (p.mode === "access") parts.push(`VLAN ${p.access_vlan}`);
  if (p.mode === "trunk") parts.push("trunk");
  if (p.isolation) parts.push(`kept apart in group ${p.isolation}`);
  if (p.poe_mw) parts.push(`feeds ${(p.poe_mw / 1000).toFixed(1)} W`);
  if (p.peer) parts.push(`to ${p.peer.system}:${p.peer.port}`);
  if (edited) parts.push("in a draft");
  return parts.join(", ");
}

function FacePortButton({
  f,
  p,
  on,
  edited,
  picked,
  column,
}: {
  f: FacePort;
  p: Port | undefined;
  on: boolean;
  edited: boolean;
  picked: ReturnType<typeof usePicked>;
  column: number;
}) {
  const words = describe(f, p, edited);
  const top = f.row === 0;
  return (
    <div
      style={{ gridColumn: column, gridRow: f.row + 1 }}
      className={clsx("flex flex-col items-center", top ? "" : "flex-col-reverse")}
    >
      <span className="text-[10.5px] leading-[13px] text-soft" aria-hidden>
        {f.label}
      </span>
      <button
        type="button"
        aria-pressed={on}
        aria-label={words}
        title={words}
        onClick={(e) => picked.pick(f.port, e)}
        onPointerEnter={(e) => e.buttons === 1 && picked.add(f.port)}
        onPointerDown={(e) => {
          // A finger would be held by the first port; let it draw over the others.
          if (e.currentTarget.hasPointerCapture(e.pointerId)) e.currentTarget.releasePointerCapture(e.pointerId);
        }}
        className={clsx(
          "relative flex h-[26px] items-center justify-center border bg-panel hover:border-ink",
          f.kind === "cage" ? "w-[38px] rounded-[2px]" : f.kind === "radio" ? "w-[44px] rounded-full" : "w-[27px]",
          f.kind === "copper" && (top ? "rounded-b-[5px]" : "rounded-t-[5px]"),
          on ? "border-accent ring-2 ring-accent" : edited ? "border-dashed border-accent" : "border-rule",
        )}
      >
        <span key={p?.health} className={clsx("flex", p?.health === "down" && "changed")}>
          <Shape state={p?.health ?? "unknown"} size={11} />
        </span>
        {p && p.poe_mw !== undefined && p.poe_mw > 0 && (
          <span aria-hidden className="absolute bottom-[-1px] right-[1px] text-[8px] leading-none">
            ⚡
          </span>
        )}
        {p?.isolation && (
          <span aria-hidden className="absolute bottom-0 left-[2px] text-[8px] font-semibold leading-none text-soft">
            ∥
          </span>
        )}
        {p?.peer && (
          <span aria-hidden className="absolute left-[2px] top-[1px] text-[9px] leading-none text-soft">
            ↑
          </span>
        )}
      </button>
    </div>
  );
}
