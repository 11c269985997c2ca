import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { allowed, api, type DeviceCertificate, type Person, take } from "../../api/client";
import { useKept, useScope } from "../../app/view";
import { Button, Empty, Failure, FileLink, Panel, ScrollRegion } from "../../ui/controls";
import { HealthMark } from "../../ui/health";
import { many } from "../../ui/time";
import { JobDialog } from "../jobs/JobDialog";
import { ImportDialog } from "./ImportDialog";

const shapes: Record<DeviceCertificate["standing"], string> = { good: "well", ending: "degraded", ended: "down" };

const date = (at: string) =>
  new Date(at).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });

const signedBy = (c: DeviceCertificate) =>
  c.house ? "the authority of the house" : c.issuer === c.subject ? "itself" : c.issuer;

const heads = ["Device", "Certificate", "It is", "Until", "Signed by", "Good for", "Shown by", "Fingerprint (SHA-256)"];

/** The certificates of devices, and the authority of the house by which they are renewed. */
export function CertificatesPage({ me }: { me: Person }) {
  const [scope] = useScope();
  const [renewing, setRenewing] = useState(false);
  const [importing, setImporting] = useState(false);
  const kept = useKept();
  const go = useNavigate();
  const list = useQuery({
    queryKey: ["certificates", scope],
    queryFn: () => take(api.GET("/api/v1/certificates", { params: { query: { where: scope } } })),
    placeholderData: (old) => old,
    refetchInterval: 10_000, // what a device has comes with no event of its own
  });
  const authority = useQuery({
    queryKey: ["certificates", "authority"],
    queryFn: () => take(api.GET("/api/v1/authority")),
  });
  const rows = list.data?.items ?? [];
  const soon = rows.filter((c) => c.standing !== "good").length;
  const may = allowed(me, "operate", "devices") && allowed(me, "operate", "jobs");
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h1 className="text-lg font-semibold">Certificates</h1>
        <span className="grow" />
        {allowed(me, "operate", "devices") && rows.length > 0 && (
          <Button onClick={() => setImporting(true)}>Import…</Button>
        )}
        {may && rows.length > 0 && (
          <Button kind="main" onClick={() => setRenewing(true)}>
            Renew…
          </Button>
        )}
      </div>
      <Panel
        title={many(rows.length, "certificate")}
        aside={
          soon > 0 ? `${soon} ended, or ${soon === 1 ? "ends" : "end"} within 14 days` : "none ends within 14 days"
        }
      >
        {list.isError ? (
          <Failure error={list.error} retry={() => void list.refetch()} />
        ) : rows.length === 0 && list.data ? (
          <Empty title="No device tells of certificates">
            A device that can be given certificates is listed here as soon as it was read. The scope may leave it out.
          </Empty>
        ) : (
          <ScrollRegion label="Certificates" className="max-h-[64vh] overflow-auto">
            <table className="w-full border-collapse text-left text-sm">
              <thead className="sticky top-0 z-10 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
                <tr>
                  {heads.map((h) => (
                    <th key={h} scope="col" className="h-7 whitespace-nowrap px-3 font-medium">
                      {h}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {rows.map((c) => (
                  <tr key={`${c.device} ${c.name}`} className="border-t border-rule/60 first:border-0">
                    <td className="px-3 py-1 font-mono">
                      <Link to={kept(`/devices/${c.device}`)}>{c.device}</Link>
                    </td>
                    <td className="px-3 py-1">{c.name}</td>
                    <td className="px-3 py-1">
                      <HealthMark state={shapes[c.standing]} word={c.standing} />
                    </td>
                    <td className="whitespace-nowrap px-3 py-1 tabular-nums">{date(c.not_after)}</td>
                    <td className="px-3 py-1">{signedBy(c)}</td>
                    <td className="px-3 py-1 font-mono">{c.names.join(", ")}</td>
                    <td className="px-3 py-1">{c.used_by.join(", ")}</td>
                    <td className="px-3 py-1 font-mono text-soft" title={c.fingerprint}>
                      {c.fingerprint.slice(0, 16)}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </ScrollRegion>
        )}
      </Panel>
      {authority.data && (
        <Panel
          title="The authority of the house"
          aside={
            <FileLink href={`data:application/x-pem-file,${encodeURIComponent(authority.data.certificate)}`}>
              Its certificate
            </FileLink>
          }
        >
          <p className="px-3 pt-2">
            It signs the certificates of devices: {many(authority.data.signed, "certificate")} so far. It is good until{" "}
            {date(authority.data.not_after)}. Give its certificate to browsers and programs that are to trust the
            devices.
          </p>
          <p className="break-all px-3 py-2 font-mono text-sm text-soft">SHA-256 {authority.data.fingerprint}</p>
        </Panel>
      )}
      {importing && <ImportDialog rows={rows} close={() => setImporting(false)} />}
      {renewing && (
        <JobDialog
          kinds={["renew"]}
          only
          where={scope}
          onClose={() => setRenewing(false)}
          made={(j) => void go(kept(`/jobs?job=${j.number}`))}
        />
      )}
    </div>
  );
}
