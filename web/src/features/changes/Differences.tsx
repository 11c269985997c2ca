import { X } from "lucide-react";
import { useState } from "react";
import type { Change } from "../../api/client";
import { useTakeOut } from "../../api/queries";
import { Button } from "../../ui/controls";
import { shown } from "../../ui/secret";
import { many } from "../../ui/time";
import { layerWord, onLayer } from "../settings/layer";
import { Delta } from "./Delta";

/** How many rows of a device are drawn before one asks for the rest, and how many in all before devices are folded. */
const rowsShown = 40;
const rowsOpen = 80;

/** The exact difference on every device, before and after. */
export function Differences({ c, editable }: { c: Change; editable: boolean }) {
  const byDevice = new Map<string, Change["differences"]>();
  for (const d of c.differences) {
    const device = d.port.split(":")[0] ?? "";
    byDevice.set(device, [...(byDevice.get(device) ?? []), d]);
  }
  const sayings = c.edits.filter((e) => e.act || onLayer([e.port]));
  if (c.differences.length === 0)
    return (
      <>
        <Sayings c={c} edits={sayings} editable={editable} />
        <p className="text-soft">
          {sayings.length > 0
            ? "No device is changed by it."
            : "It makes no difference: everything is already as it says."}
        </p>
      </>
    );
  return (
    <>
      <Sayings c={c} edits={sayings} editable={editable} />
      <section aria-label="What it makes different" className="overflow-hidden rounded border border-rule">
        {[...byDevice].map(([device, list]) => (
          <DeviceDifferences
            key={device}
            c={c}
            device={device}
            list={list}
            editable={editable}
            open={c.differences.length <= rowsOpen}
          />
        ))}
        {c.difference_count > c.differences.length && (
          <p className="px-2.5 py-1 text-sm text-soft">
            and {c.difference_count - c.differences.length} more: “everypost change show {c.number}” lists them all
          </p>
        )}
      </section>
    </>
  );
}

/** What a change has layers say, and things say no more. */
function Sayings({ c, edits, editable }: { c: Change; edits: Change["edits"]; editable: boolean }) {
  const [all, setAll] = useState(false);
  const takeOut = useTakeOut();
  if (edits.length === 0) return null;
  const rows = all ? edits : edits.slice(0, 8);
  return (
    <section aria-label="Settings of templates and sites" className="overflow-hidden rounded border border-rule">
      <ul>
        {rows.map((e) => (
          <li
            key={e.port + e.field}
            className="flex items-baseline gap-2 border-b border-rule/60 px-2.5 py-0.5 text-sm last:border-0"
          >
            <span className="min-w-0 grow break-words">
              <span className="font-mono">{e.port.replace(/^template\//, "").replace(/:self$/, "")}</span>{" "}
              <span className="text-soft">{e.field}</span>{" "}
              {e.act === "inherit" ? (
                "unset"
              ) : e.act === "restore" ? (
                "as intended"
              ) : (
                <span className="break-words bg-plus px-1 font-mono">{shown(e.value) || "empty"}</span>
              )}
            </span>
            {editable && (
              <Button
                kind="quiet"
                className="h-6 shrink-0 px-1"
                aria-label={`Take ${e.field} of ${e.port} out of the draft`}
                title="Take out"
                onClick={() => takeOut.mutate({ number: c.number, port: e.port, field: e.field })}
              >
                <X size={13} />
              </Button>
            )}
          </li>
        ))}
      </ul>
      {rows.length < edits.length && (
        <Button kind="quiet" className="w-full" onClick={() => setAll(true)}>
          Show {edits.length - rows.length} more
        </Button>
      )}
    </section>
  );
}

function DeviceDifferences({
  c,
  device,
  list,
  editable,
  open,
}: {
  c: Change;
  device: string;
  list: Change["differences"];
  editable: boolean;
  open: boolean;
}) {
  const [all, setAll] = useState(false);
  const takeOut = useTakeOut();
  const rows = all ? list : list.slice(0, rowsShown);
  return (
    <details open={open}>
      <summary className="cursor-pointer border-b border-rule bg-ground px-2.5 py-1 text-sm">
        <span className="font-mono font-semibold">{device}</span>{" "}
        <span className="text-soft">{many(list.length, "setting")}</span>
      </summary>
      <table className="w-full table-fixed border-collapse text-left">
        <thead className="sr-only">
          <tr>
            <th>Port</th>
            <th>Field</th>
            <th>Before</th>
            <th>After</th>
            {editable && <th>Take out</th>}
          </tr>
        </thead>
        <tbody>
          {rows.map((d) => (
            <tr key={d.port + d.field} className="border-b border-rule/60 align-top last:border-0">
              <td className="w-[64px] break-words px-2.5 py-1 pr-0 font-mono text-sm">
                {d.port.slice(device.length + 1) || "device"}
              </td>
              <td className="w-[104px] break-words py-1 pl-1 pr-1 text-sm text-soft">
                {d.field}
                {d.layer && <span className="block truncate text-xs">by {layerWord(d.layer)}</span>}
              </td>
              <Delta field={d.field} before={d.before} after={d.after} narrow />
              {editable && (
                <td className="w-7 text-right">
                  <Button
                    kind="quiet"
                    className="h-6 px-1"
                    aria-label={`Take ${d.field} of ${d.port} out of the draft`}
                    title="Take out"
                    disabled={!c.edits.some((e) => e.port === d.port && e.field === d.field)}
                    onClick={() => takeOut.mutate({ number: c.number, port: d.port, field: d.field })}
                  >
                    <X size={13} />
                  </Button>
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length < list.length && (
        <Button kind="quiet" className="w-full" onClick={() => setAll(true)}>
          Show {list.length - rows.length} more
        </Button>
      )}
    </details>
  );
}
