import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, type TerminalSession, take } from "../../api/client";
import { useView } from "../../app/view";
import { Empty, Failure, Modal, Panel, ScrollRegion } from "../../ui/controls";
import { type Column, Table } from "../../ui/table";
import { many, span } from "../../ui/time";
import { octets } from "../ports/PortPanel";

const columns = (show: (t: TerminalSession) => void): Column<TerminalSession>[] => [
  {
    key: "number",
    head: "Terminal",
    width: "90px",
    sort: (t) => t.number,
    cell: (t) => (
      <button type="button" className="text-accent hover:underline" onClick={() => show(t)} title="What was shown">
        {t.number}
      </button>
    ),
  },
  {
    key: "opened",
    head: "Opened",
    mono: true,
    width: "170px",
    sort: (t) => t.opened_at,
    cell: (t) => new Date(t.opened_at).toLocaleString("en-GB"),
  },
  {
    key: "device",
    head: "On",
    mono: true,
    width: "140px",
    sort: (t) => t.device,
    cell: (t) => <Link to={`/devices/${t.device}`}>{t.device}</Link>,
  },
  { key: "user", head: "By", width: "110px", sort: (t) => t.user, cell: (t) => t.user },
  {
    key: "for",
    head: "For",
    width: "80px",
    cell: (t) => (t.ended_at ? span(Date.parse(t.ended_at) - Date.parse(t.opened_at)) : "open"),
  },
  {
    key: "shown",
    head: "Shown",
    width: "90px",
    right: true,
    sort: (t) => t.shown_octets,
    cell: (t) => octets(t.shown_octets),
  },
  { key: "why", head: "Ended because", sort: (t) => t.why ?? "", cell: (t) => t.why },
];

/** The terminals that were opened on devices, and what was shown in them. */
export function Terminals() {
  const [sort, setSort] = useView("sort", "-number");
  const [shown, setShown] = useState<TerminalSession | null>(null);
  const list = useQuery({
    queryKey: ["terminals"],
    queryFn: () => take(api.GET("/api/v1/terminals", { params: { query: { limit: 500 } } })),
    staleTime: 0,
  });
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  return (
    <Panel title={many(list.data?.items.length ?? 0, "terminal")} aside="the newest 500">
      <Table
        label="Terminals"
        columns={columns(setShown)}
        rows={list.data?.items ?? []}
        rowKey={(t) => String(t.number)}
        sort={sort}
        onSort={setSort}
        className="max-h-[70vh]"
        empty={<Empty title="No terminal was opened yet">A device's page has one, for those who may.</Empty>}
      />
      {shown && <Record t={shown} close={() => setShown(null)} />}
    </Panel>
  );
}

/** What a terminal showed as lines of text: without sequences that move or colour (ECMA-48), and control characters. */
function plain(shown: string): string {
  let out = "";
  for (let i = 0; i < shown.length; i++) {
    const c = shown.charCodeAt(i);
    if (c === 0x1b) {
      const kind = shown[i + 1];
      i++;
      if (kind === "[") while (i + 1 < shown.length && !/[@-~]/.test(shown[++i] ?? "@"));
      else if (kind === "]") while (i + 1 < shown.length && shown.charCodeAt(++i) !== 7);
    } else if (c >= 0x20 ? c !== 0x7f : c === 0x09 || c === 0x0a) out += shown[i];
  }
  return out;
}

function Record({ t, close }: { t: TerminalSession; close: () => void }) {
  const record = useQuery({
    queryKey: ["terminal-record", t.number],
    queryFn: () =>
      take(api.GET("/api/v1/terminals/{number}/record", { params: { path: { number: t.number } }, parseAs: "text" })),
    staleTime: 0,
  });
  return (
    <Modal
      open
      wide
      onOpenChange={close}
      title={`Terminal ${t.number} on ${t.device}`}
      description={`${t.user}, ${new Date(t.opened_at).toLocaleString("en-GB")}${t.why ? `; it ended because ${t.why}` : ""}`}
    >
      {record.isError ? (
        <Failure error={record.error} retry={() => void record.refetch()} />
      ) : (
        <ScrollRegion
          label="What was shown"
          className="max-h-[55vh] overflow-auto whitespace-pre rounded-sm border border-rule bg-raised p-2 font-mono text-sm"
        >
          {plain(String(record.data ?? "")) || "Nothing was shown."}
        </ScrollRegion>
      )}
    </Modal>
  );
}
