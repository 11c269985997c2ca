import { Download, ShieldCheck } from "lucide-react";
import { useState } from "react";
import type { AuditEntry } from "../../api/client";
import { useTyped, useView } from "../../app/view";
import { Button, Empty, Failure, Panel } from "../../ui/controls";
import { type Column, Table } from "../../ui/table";
import { useAudit, useVerdict } from "./queries";

const columns: Column<AuditEntry>[] = [
  { key: "id", head: "Entry", right: true, mono: true, width: "80px", sort: (e) => e.id, cell: (e) => e.id },
  {
    key: "at",
    head: "When",
    mono: true,
    width: "170px",
    sort: (e) => e.at,
    cell: (e) => new Date(e.at).toLocaleString("en-GB"),
  },
  { key: "user", head: "Who", width: "110px", sort: (e) => e.user, cell: (e) => e.user },
  { key: "action", head: "Did what", width: "150px", sort: (e) => e.action, cell: (e) => e.action },
  { key: "object", head: "To what", mono: true, width: "240px", sort: (e) => e.object, cell: (e) => e.object },
  {
    key: "detail",
    head: "What came of it",
    width: "420px",
    sort: (e) => e.detail,
    cell: (e) => (
      <span title={e.detail} className={e.detail.startsWith("refused") ? "text-down" : ""}>
        {e.detail}
      </span>
    ),
  },
];

export function AuditLog() {
  const [text, setText] = useTyped("text");
  const [who, setWho] = useTyped("who");
  const [sort, setSort] = useView("sort", "-id");
  const [limit, setLimit] = useState(500);
  const audit = useAudit(who, text, limit);
  const verdict = useVerdict();
  if (audit.isError) return <Failure error={audit.error} retry={() => void audit.refetch()} />;
  const rows = audit.data?.items ?? [];
  const find = (label: string, value: string, set: (v: string) => void) => (
    <label className="flex items-center gap-2">
      {label}
      <input
        value={value}
        onChange={(e) => set(e.target.value)}
        className="h-6 w-36 rounded-sm border border-rule bg-raised px-2 font-mono text-ink"
      />
    </label>
  );
  return (
    <div className="grid gap-3">
      <Panel
        title={rows.length === limit ? `The last ${limit} entries` : `${rows.length} entries`}
        aside={
          <div className="flex items-center gap-3">
            {find("Who", who, setWho)}
            {find("Find", text, setText)}
            <Button className="h-6" onClick={() => download(rows)} disabled={rows.length === 0}>
              <Download size={13} aria-hidden /> CSV
            </Button>
            <Button className="h-6" onClick={() => verdict.mutate()} disabled={verdict.isPending}>
              <ShieldCheck size={13} aria-hidden /> Verify the chain
            </Button>
          </div>
        }
      >
        {verdict.data && (
          <p role="status" className="border-b border-rule px-3 py-2">
            {verdict.data.broken ? (
              <strong className="text-down">
                Entry {verdict.data.broken} does not follow from the one before it: the log was changed. Compare it with
                a backup.
              </strong>
            ) : (
              <>
                All {verdict.data.entries} entries follow from each other. Head of the chain, to be noted elsewhere:{" "}
                <code className="break-all font-mono text-sm">{verdict.data.head}</code>
              </>
            )}
          </p>
        )}
        <Table
          label="Audit log"
          columns={columns}
          rows={rows}
          rowKey={(e) => String(e.id)}
          sort={sort}
          onSort={setSort}
          className="max-h-[calc(100vh-260px)]"
          empty={<Empty title="Nothing of that kind was done" />}
        />
      </Panel>
      {rows.length === limit && limit < 10_000 && (
        <Button className="justify-self-start" onClick={() => setLimit(Math.min(10_000, limit * 4))}>
          Show more
        </Button>
      )}
    </div>
  );
}

const cell = (s: string) => (/[",\n]/.test(s) ? `"${s.replace(/"/g, '""')}"` : s);

function download(rows: AuditEntry[]) {
  const lines = [
    "entry,at,user,action,object,detail",
    ...rows.map((e) => [String(e.id), e.at, e.user, e.action, e.object, e.detail].map(cell).join(",")),
  ];
  const url = URL.createObjectURL(new Blob([lines.join("\n")], { type: "text/csv" }));
  const a = document.createElement("a");
  a.href = url;
  a.download = "audit.csv";
  a.click();
  URL.revokeObjectURL(url);
}
