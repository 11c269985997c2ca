import { Upload } from "lucide-react";
import { useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { toast } from "sonner";
import { allowed, type DeviceFirmware, type Image, type Person } from "../../api/client";
import { useKept, useScope, useView } from "../../app/view";
import { Button, Choices, Empty, Failure, Modal, Panel, ScrollRegion } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { dayTime, many } from "../../ui/time";
import { JobDialog } from "../jobs/JobDialog";
import {
  useActOnImage,
  useAddImage,
  useBaseline,
  useDeviceFirmware,
  useImages,
  usePutBaseline,
  useRemoveImage,
} from "./queries";

/** What devices run inside, what they are to run, and the library that it comes from. */
export function FirmwarePage({ me }: { me: Person }) {
  const [scope] = useScope();
  const [view, setView] = useView("view", "devices");
  const [miss, setMiss] = useView("miss");
  const [job, setJob] = useState<"upgrade" | "go-back" | null>(null);
  const kept = useKept();
  const go = useNavigate();
  const may = allowed(me, "operate", "firmware") && allowed(me, "operate", "jobs");
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h1 className="text-lg font-semibold">Firmware</h1>
        <Choices
          label="What of it"
          value={view}
          of={[
            ["devices", "Devices"],
            ["library", "Library and baseline"],
          ]}
          pick={setView}
        />
        {view === "devices" && (
          <label className="flex items-center gap-1.5 text-sm">
            <input
              type="checkbox"
              className="accent-[var(--accent)]"
              checked={miss !== ""}
              onChange={(e) => setMiss(e.target.checked ? "1" : "")}
            />
            only those that miss the baseline
          </label>
        )}
        <span className="grow" />
        {may && (
          <>
            <Button onClick={() => setJob("go-back")}>Go back…</Button>
            <Button kind="main" onClick={() => setJob("upgrade")}>
              Upgrade…
            </Button>
          </>
        )}
      </div>
      {view === "library" ? <Library me={me} /> : <Devices where={scope} miss={miss !== ""} />}
      {job && (
        <JobDialog
          key={job}
          kinds={[job]}
          only
          where={scope}
          onClose={() => setJob(null)}
          made={(j) => void go(kept(`/jobs?job=${j.number}`))}
        />
      )}
    </div>
  );
}

const shapes: Record<DeviceFirmware["standing"], string> = {
  current: "well",
  behind: "degraded",
  ahead: "warning",
  free: "off",
  unknown: "unknown",
};

const words: Record<DeviceFirmware["standing"], string> = {
  current: "as it is to be",
  behind: "older",
  ahead: "newer",
  free: "no baseline",
  unknown: "not told",
};

function Devices({ where, miss }: { where: string; miss: boolean }) {
  const list = useDeviceFirmware(where, miss);
  const kept = useKept();
  const rows = list.data?.items ?? [];
  const behind = rows.filter((d) => d.standing === "behind" || d.standing === "ahead").length;
  return (
    <Panel title={`${many(rows.length, "device")}, ${behind} not as ${behind === 1 ? "it is" : "they are"} to be`}>
      {list.isError ? (
        <Failure error={list.error} retry={() => void list.refetch()} />
      ) : rows.length === 0 && list.data ? (
        <Empty title={miss ? "Every device runs what it is to run" : "There is no device here"} />
      ) : (
        <ScrollRegion label="Firmware of devices" className="max-h-[74vh] overflow-auto">
          <table className="w-full border-collapse text-left">
            <thead className="sticky top-0 bg-panel text-sm text-soft shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                {["Device", "Model", "Runs", "Standing", "Is to run", "Other slot"].map((h) => (
                  <th key={h} scope="col" className="h-7 whitespace-nowrap px-2.5 font-medium">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map((d) => (
                <tr key={d.device} className="border-b border-rule/60 last:border-0 hover:bg-ground">
                  <td className="whitespace-nowrap px-2.5 py-1 font-mono text-sm">
                    <Link to={kept(`/devices/${d.device}`)}>{d.device}</Link>
                  </td>
                  <td className="whitespace-nowrap px-2.5 py-1">
                    {d.maker} {d.model}
                  </td>
                  <td className="px-2.5 py-1 font-mono text-sm">{d.runs}</td>
                  <td className="px-2.5 py-1">
                    <HealthMark state={shapes[d.standing]} word={words[d.standing]} />
                  </td>
                  <td className="px-2.5 py-1 font-mono text-sm">{d.baseline}</td>
                  <td className="px-2.5 py-1 text-soft">{otherSlot(d)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </ScrollRegion>
      )}
    </Panel>
  );
}

function otherSlot(d: DeviceFirmware) {
  if (!d.able) return "it takes no firmware from here";
  const other = d.slots.find((s) => s.state !== "running");
  if (!other) return "";
  if (other.state === "failed")
    return (
      <span className="text-down">
        <span className="font-mono text-sm">{other.version}</span> does not come up
      </span>
    );
  return other.version ? <span className="font-mono text-sm">{other.version}</span> : "empty";
}

const megabytes = (octets: number) => `${(octets / 1e6).toFixed(1)} MB`;

function Library({ me }: { me: Person }) {
  const images = useImages();
  const baseline = useBaseline();
  const [far, setFar] = useState(0);
  const add = useAddImage(setFar);
  const act = useActOnImage();
  const remove = useRemoveImage();
  const put = usePutBaseline();
  const [trusting, setTrusting] = useState<Image | null>(null);
  const [leaving, setLeaving] = useState<Image | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const may = allowed(me, "administer", "firmware");
  const list = images.data?.items ?? [];
  const fail = (e: Error) => toast.error(e.message);
  const of = new Map<string, number>(); // which image a model is to run
  for (const e of baseline.data?.items ?? []) of.set(`${e.maker} ${e.model}`, e.image);
  const models = [...new Set(list.flatMap((i) => i.models.map((m) => `${i.maker}\n${m}`)))].sort();
  return (
    <>
      <Panel
        title={`Library: ${many(list.length, "image")}`}
        aside={
          may && (
            <>
              <input
                ref={file}
                type="file"
                className="hidden"
                aria-label="The file of an image"
                onChange={(e) => {
                  const f = e.target.files?.[0];
                  e.target.value = "";
                  if (f) add.mutate(f);
                }}
              />
              <Button
                kind="quiet"
                className="!h-6 text-buff-ink"
                disabled={add.isPending}
                onClick={() => file.current?.click()}
              >
                <Upload size={13} aria-hidden />{" "}
                {add.isPending ? `Sending, ${Math.round(far * 100)} %` : "Add an image…"}
              </Button>
            </>
          )
        }
      >
        {add.isError && (
          <p role="alert" className="border-b border-rule px-3 py-1.5 text-down">
            {add.error.message}
          </p>
        )}
        {images.isError ? (
          <Failure error={images.error} retry={() => void images.refetch()} />
        ) : list.length === 0 && images.data ? (
          <Empty title="The library is empty">
            An image is added as its maker gave it. Its signature is checked, somebody approves it, and then it can be
            what a model is to run.
          </Empty>
        ) : (
          <ScrollRegion label="Images" className="overflow-x-auto">
            <table className="w-full border-collapse text-left">
              <thead className="text-sm text-soft">
                <tr className="border-b border-rule">
                  {["#", "Maker", "Version", "For", "Size", "Signature", "Approved", "Notes", ""].map((h) => (
                    <th key={h} scope="col" className="h-7 whitespace-nowrap px-2.5 font-medium">
                      {h || <span className="sr-only">What to do</span>}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {list.map((i) => (
                  <tr key={i.number} className="border-b border-rule/60 align-baseline last:border-0">
                    <td className="px-2.5 py-1 tabular-nums text-soft">{i.number}</td>
                    <td className="px-2.5 py-1">{i.maker}</td>
                    <td className="px-2.5 py-1 font-mono text-sm">{i.version}</td>
                    <td className="px-2.5 py-1">{i.models.join(", ")}</td>
                    <td className="whitespace-nowrap px-2.5 py-1 text-soft">{megabytes(i.size_octets)}</td>
                    <td className="whitespace-nowrap px-2.5 py-1" title={i.signer}>
                      <HealthMark state={i.trusted ? "well" : "warning"} word={i.trusted ? "known" : "new"} />{" "}
                      <span className="font-mono text-xs text-soft">{i.signer.slice(7, 17)}…</span>
                    </td>
                    <td className="px-2.5 py-1 text-soft">
                      {i.approved_at ? `${i.approved_by}, ${dayTime(i.approved_at)}` : "not yet"}
                    </td>
                    <td className="min-w-[180px] px-2.5 py-1 text-sm text-soft">{i.notes}</td>
                    <td className="whitespace-nowrap px-2.5 py-1 text-right">
                      {may && (
                        <span className="inline-flex gap-1">
                          {i.approved_at ? (
                            <Button
                              className="!h-6"
                              disabled={act.isPending}
                              onClick={() => act.mutate({ number: i.number, act: "withdraw" }, { onError: fail })}
                            >
                              Withdraw
                            </Button>
                          ) : (
                            <Button
                              className="!h-6"
                              disabled={act.isPending}
                              onClick={() =>
                                i.trusted
                                  ? act.mutate({ number: i.number, act: "approve" }, { onError: fail })
                                  : setTrusting(i)
                              }
                            >
                              Approve{!i.trusted && "…"}
                            </Button>
                          )}
                          <Button className="!h-6" kind="quiet" onClick={() => setLeaving(i)}>
                            Remove…
                          </Button>
                        </span>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </ScrollRegion>
        )}
      </Panel>
      {models.length > 0 && (
        <Panel title="Baseline: what each model is to run">
          <ul className="grid gap-x-6 px-3 py-1.5 sm:grid-cols-2 xl:grid-cols-3">
            {models.map((one) => {
              const [maker = "", model = ""] = one.split("\n");
              const fitting = list.filter((i) => i.maker === maker && i.models.includes(model));
              const now = of.get(`${maker} ${model}`) ?? 0;
              return (
                <li key={one} className="flex items-center gap-2 border-b border-rule/60 py-1">
                  <span className="grow">
                    {maker} {model}
                  </span>
                  <select
                    aria-label={`What ${maker} ${model} is to run`}
                    className="h-6 rounded-sm border border-rule bg-raised px-1 text-ink disabled:opacity-60"
                    disabled={!may || put.isPending}
                    value={now}
                    onChange={(e) => put.mutate({ maker, model, image: Number(e.target.value) }, { onError: fail })}
                  >
                    <option value={0}>what it runs</option>
                    {fitting.map((i) => (
                      <option key={i.number} value={i.number} disabled={!i.approved_at}>
                        {i.version}
                        {!i.approved_at && " (not approved)"}
                      </option>
                    ))}
                  </select>
                </li>
              );
            })}
          </ul>
        </Panel>
      )}
      <Modal
        open={trusting !== null}
        onOpenChange={() => setTrusting(null)}
        title={`Approve ${trusting?.maker} ${trusting?.version}?`}
        description={`No image of ${trusting?.maker} with this signature was approved before. Compare it with what ${trusting?.maker} tells: it is trusted from now on.`}
      >
        <p className="break-all font-mono text-sm">{trusting?.signer}</p>
        <div className="mt-3 flex justify-end gap-2">
          <Button onClick={() => setTrusting(null)}>Leave it</Button>
          <Button
            kind="main"
            disabled={act.isPending}
            onClick={() =>
              trusting &&
              act.mutate(
                { number: trusting.number, act: "approve", trust: true },
                { onSuccess: () => setTrusting(null), onError: fail },
              )
            }
          >
            It is the same: approve
          </Button>
        </div>
      </Modal>
      <Modal
        open={leaving !== null}
        onOpenChange={() => setLeaving(null)}
        title={`Remove ${leaving?.maker} ${leaving?.version}?`}
        description="Devices that run it go on. To install it again it has to be added again."
      >
        <div className="flex justify-end gap-2">
          <Button onClick={() => setLeaving(null)}>Leave it</Button>
          <Button
            kind="danger"
            disabled={remove.isPending}
            onClick={() =>
              leaving && remove.mutate(leaving.number, { onSuccess: () => setLeaving(null), onError: fail })
            }
          >
            Remove
          </Button>
        </div>
      </Modal>
    </>
  );
}
