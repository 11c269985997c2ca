import { Link } from "react-router";
import { toast } from "sonner";
import { allowed, type Drift, type Person } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Empty, Failure, Panel } from "../../ui/controls";
import { Shape } from "../../ui/health";
import { Ago, many } from "../../ui/time";
import { layerWord } from "../settings/layer";
import { useOwnDraft } from "../settings/queries";
import { useAcceptDrift, useDrift, useRestoreDrift } from "./queries";

/** What devices run other than intended: to be taken over, or put back. */
export function DriftPage({ me }: { me: Person }) {
  const drift = useDrift();
  const list = drift.data?.items ?? [];
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <h1 className="text-lg font-semibold">Drift</h1>
        <p className="text-sm text-soft">
          What devices run other than intended: somebody changed it there, or a template or site came to say something
          else.
        </p>
      </div>
      {drift.isError && <Failure error={drift.error} retry={() => void drift.refetch()} />}
      {drift.data && list.length === 0 && (
        <Panel title="No drift">
          <Empty title="Everything runs as intended">
            <span className="inline-flex items-center gap-2">
              <Shape state="well" /> What somebody changes on a device itself shows here within seconds.
            </span>
          </Empty>
        </Panel>
      )}
      {list.map((d) => (
        <DeviceDrift key={d.device} d={d} me={me} />
      ))}
    </div>
  );
}

const controlled = {
  watched: "It is only watched: it cannot be put back from here.",
  local: "It is under local control: it cannot be put back from here before it is taken back.",
};

export function DeviceDrift({ d, me }: { d: Drift; me: Person }) {
  const accept = useAcceptDrift();
  const restore = useRestoreDrift();
  const draft = useOwnDraft(me);
  const [, setTray] = useView("tray");
  const mayAccept = allowed(me, "change", "devices");
  const mayRestore = allowed(me, "change", "ports") && d.control === "here";
  const busy = accept.isPending || restore.isPending;
  const putBack = (on: string[]) =>
    restore.mutate({ on, change: draft }, { onSuccess: (c) => setTray(String(c.number)) });
  const take = (objects: string[] | undefined, what: string) =>
    accept.mutate(
      { device: d.device, objects },
      { onSuccess: () => toast(`What ${what} runs is intended from now on.`) },
    );
  const objects = [...new Set(d.differences.map((x) => x.on))];
  return (
    <Panel
      title={
        <span>
          <Link to={`/devices/${d.device}`} className="font-mono text-buff-ink underline">
            {d.device}
          </Link>{" "}
          <span className="font-normal">
            {d.site}, {many(d.differences.length, "setting")}
          </span>
        </span>
      }
      aside={
        <span className="flex gap-1">
          {mayAccept && (
            <Button
              kind="quiet"
              className="!h-6 text-buff-ink"
              disabled={busy}
              onClick={() => take(undefined, d.device)}
            >
              Accept all as intended
            </Button>
          )}
          {mayRestore && (
            <Button kind="quiet" className="!h-6 text-buff-ink" disabled={busy} onClick={() => putBack([d.device])}>
              Put all back…
            </Button>
          )}
        </span>
      }
    >
      {d.control !== "here" && <p className="border-b border-rule px-3 py-1.5 text-sm">{controlled[d.control]}</p>}
      <table className="w-full border-collapse text-left">
        <thead>
          <tr className="text-sm text-soft">
            {["On", "Setting", "Intended", "Runs", "From", "Since", ""].map((h) => (
              <th key={h} scope="col" className="h-7 whitespace-nowrap px-3 font-medium">
                {h || <span className="sr-only">What to do</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {objects.flatMap((on) =>
            d.differences
              .filter((x) => x.on === on)
              .map((x, i) => (
                <tr key={on + x.setting} className="border-t border-rule/60 align-top">
                  <td className="px-3 py-1 font-mono text-sm">
                    {i === 0 ? on.slice(d.device.length + 1) || "device" : ""}
                  </td>
                  <td className="px-3 py-1 text-sm text-soft">{x.setting}</td>
                  <td className="max-w-[260px] break-words px-3 py-1 font-mono text-sm">{x.intended || "empty"}</td>
                  <td className="max-w-[260px] break-words px-3 py-1">
                    <span className="bg-minus px-1 font-mono text-sm">{x.runs || "empty"}</span>
                  </td>
                  <td className="px-3 py-1 text-sm">{layerWord(x.layer)}</td>
                  <td className="whitespace-nowrap px-3 py-1 text-sm">
                    <Ago at={x.since} />
                    {x.by && (
                      <>
                        {" "}
                        by <span className="font-mono">{x.by}</span>
                      </>
                    )}
                  </td>
                  <td className="whitespace-nowrap px-3 py-0.5 text-right">
                    {i === 0 && objects.length > 1 && (
                      <>
                        {mayAccept && (
                          <Button
                            kind="quiet"
                            className="!h-6 px-1"
                            disabled={busy}
                            onClick={() => take([on.slice(d.device.length + 1)], on)}
                          >
                            Accept<span className="sr-only"> {on}</span>
                          </Button>
                        )}
                        {mayRestore && (
                          <Button kind="quiet" className="!h-6 px-1" disabled={busy} onClick={() => putBack([on])}>
                            Put back<span className="sr-only"> {on}</span>
                          </Button>
                        )}
                      </>
                    )}
                  </td>
                </tr>
              )),
          )}
        </tbody>
      </table>
    </Panel>
  );
}
