import { ArrowDown, ArrowUp, Download } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { type Asked, type Noun, type Rows, readAll } from "../api/lists";
import { Button, Modal } from "../ui/controls";
import { many } from "../ui/time";
import type { GridColumn } from "./Grid";

/** Which columns are shown, and in which order. */
export function ColumnChooser<T>({
  open,
  onOpenChange,
  columns,
  shown,
  set,
}: {
  open: boolean;
  onOpenChange: (o: boolean) => void;
  columns: GridColumn<T>[];
  shown: string[];
  set: (names: string[] | null) => void;
}) {
  const rest = columns.filter((c) => !shown.includes(c.key));
  const move = (i: number, by: number) => {
    const next = [...shown];
    const [name] = next.splice(i, 1);
    if (name) next.splice(i + by, 0, name);
    set(next);
  };
  return (
    <Modal
      open={open}
      onOpenChange={onOpenChange}
      title="Columns"
      description="Which columns are shown, from left to right. The choice is kept for you, in every browser."
    >
      <ul className="grid gap-0.5">
        {shown.map((name, i) => {
          const c = columns.find((x) => x.key === name);
          return (
            <li key={name} className="flex h-8 items-center gap-2">
              <label className="flex grow items-center gap-2">
                <input
                  type="checkbox"
                  checked
                  disabled={shown.length === 1}
                  onChange={() => set(shown.filter((x) => x !== name))}
                  className="accent-[var(--accent)]"
                />
                {c?.head}
              </label>
              <Button kind="quiet" disabled={i === 0} onClick={() => move(i, -1)} aria-label={`Move ${c?.head} left`}>
                <ArrowUp size={14} />
              </Button>
              <Button
                kind="quiet"
                disabled={i === shown.length - 1}
                onClick={() => move(i, 1)}
                aria-label={`Move ${c?.head} right`}
              >
                <ArrowDown size={14} />
              </Button>
            </li>
          );
        })}
        {rest.map((c) => (
          <li key={c.key} className="flex h-8 items-center">
            <label className="flex items-center gap-2 text-soft">
              <input
                type="checkbox"
                checked={false}
                onChange={() => set([...shown, c.key])}
                className="accent-[var(--accent)]"
              />
              {c.head}
            </label>
          </li>
        ))}
      </ul>
      <div className="mt-3 flex justify-between">
        <Button onClick={() => set(null)}>As it was at first</Button>
        <Button kind="main" onClick={() => onOpenChange(false)}>
          Done
        </Button>
      </div>
    </Modal>
  );
}

/** Writes what is shown to a file: the columns, the scope and the order of the table, all rows. */
export function Export<N extends Noun>({
  noun,
  asked,
  columns,
  total,
}: {
  noun: N;
  asked: Asked;
  columns: GridColumn<Rows[N]>[];
  total: number;
}) {
  const [busy, setBusy] = useState(false);
  const save = async (form: "csv" | "json") => {
    setBusy(true);
    try {
      const rows = await readAll(noun, asked);
      const text =
        form === "json"
          ? JSON.stringify(rows, null, 2)
          : [columns.map((c) => c.head), ...rows.map((r) => columns.map((c) => c.text(r)))]
              .map((cells) => cells.map(csvCell).join(","))
              .join("\r\n");
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([text], { type: form === "json" ? "application/json" : "text/csv" }));
      link.download = `${noun}.${form}`;
      link.click();
      URL.revokeObjectURL(link.href);
    } finally {
      setBusy(false);
    }
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button kind="quiet" className="h-6" disabled={busy || total === 0}>
          <Download size={14} aria-hidden /> {busy ? "Reading…" : "Export"}
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" className="z-40 rounded border border-rule bg-panel p-1 shadow-xl">
          {(["csv", "json"] as const).map((form) => (
            <DropdownMenu.Item
              key={form}
              onSelect={() => void save(form)}
              className="cursor-pointer rounded-sm px-3 py-1 outline-none data-[highlighted]:bg-buff data-[highlighted]:text-buff-ink"
            >
              {many(total, "row")} as {form.toUpperCase()}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** RFC 4180; a cell that a spreadsheet would take for a formula is kept from being one. */
function csvCell(text: string): string {
  const safe = /^[=+\-@\t]/.test(text) && Number.isNaN(Number(text)) ? `'${text}` : text;
  return /[",\r\n]/.test(safe) ? `"${safe.replace(/"/g, '""')}"` : safe;
}
