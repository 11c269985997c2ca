import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../../api/client";
import { useView } from "../../app/view";
import { Button, Field, FileLink, inputClass, ScrollRegion } from "../../ui/controls";

const atOnce = 200;

/** The frames of a capture, merged with those of others, page by page. */
export function Frames({ number }: { number: number }) {
  const [find, setFind] = useView("find");
  const [typed, setTyped] = useState(find);
  const [others, setOthers] = useView("with");
  const [page, setPage] = useView("page", "0");
  const offset = (Number(page) || 0) * atOnce;
  const of = [number, ...others.split(/[\s,]+/).map(Number)].filter((n, i, all) => n > 0 && all.indexOf(n) === i);
  const frames = useQuery({
    queryKey: ["frames", of, find, offset],
    queryFn: () => take(api.GET("/api/v1/captures/frames", { params: { query: { of, find, offset, limit: atOnce } } })),
    placeholderData: (old) => old,
  });
  const list = frames.data?.items ?? [];
  const total = frames.data?.total ?? 0;
  const first = list[0]?.at;
  return (
    <section aria-label="Frames" className="mt-3 border-t border-rule pt-2">
      <form
        className="flex flex-wrap items-end gap-x-3"
        onSubmit={(e) => {
          e.preventDefault();
          setFind(typed);
          setPage("0");
        }}
      >
        <Field label="Find in frames" help="in addresses, protocols and what is said of them">
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              className={inputClass}
              value={typed}
              onChange={(e) => setTyped(e.target.value)}
            />
          )}
        </Field>
        <Field label="Merged with" help="numbers of other captures, such as 13, 14">
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              className={inputClass}
              value={others}
              onChange={(e) => setOthers(e.target.value)}
            />
          )}
        </Field>
        <span className="mb-5 flex gap-2">
          <Button type="submit">Find</Button>
          <FileLink href={`/api/v1/captures/file?of=${of.join(",")}`}>File (pcapng)</FileLink>
        </span>
      </form>
      {frames.isError && (
        <p role="alert" className="text-down">
          {frames.error.message}
        </p>
      )}
      <div className="flex flex-wrap items-center gap-x-3 text-sm text-soft">
        <span>
          {frames.data
            ? total === 0
              ? "No frame that matches"
              : `Frames ${offset + 1} to ${offset + list.length} of ${total}${frames.data.more ? ", and more in the file" : ""}`
            : "Reading the frames…"}
        </span>
        {total > atOnce && (
          <>
            <Button className="!h-6" disabled={offset === 0} onClick={() => setPage(String(Number(page) - 1))}>
              Before
            </Button>
            <Button
              className="!h-6"
              disabled={offset + atOnce >= total}
              onClick={() => setPage(String(Number(page) + 1))}
            >
              After
            </Button>
          </>
        )}
      </div>
      {list.length > 0 && (
        <ScrollRegion label="Captured frames" className="mt-1 max-h-[420px] overflow-auto rounded border border-rule">
          <table className="w-full border-collapse whitespace-nowrap text-left text-sm">
            <thead className="sticky top-0 bg-panel text-soft shadow-[inset_0_-1px_0_var(--rule)]">
              <tr>
                {["After, s", "On", "Way", "From", "To", "Protocol", "VLAN", "Octets", "What"].map((h) => (
                  <th
                    key={h}
                    scope="col"
                    className={`h-7 px-2 font-medium ${h === "Octets" || h === "VLAN" || h === "After, s" ? "text-right" : ""}`}
                  >
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {list.map((f, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: frames keep their places
                <tr key={i} className="border-t border-rule/60 first:border-0">
                  <td className="h-6 px-2 text-right tabular-nums" title={new Date(f.at).toLocaleString("en-GB")}>
                    {((Date.parse(f.at) - Date.parse(first ?? f.at)) / 1000).toFixed(3)}
                  </td>
                  <td className="px-2 font-mono">{f.on}</td>
                  <td className="px-2">{f.way}</td>
                  <td className="px-2 font-mono">{f.from}</td>
                  <td className="px-2 font-mono">{f.to}</td>
                  <td className="px-2">{f.protocol}</td>
                  <td className="px-2 text-right tabular-nums">{f.vlan ?? ""}</td>
                  <td className="px-2 text-right tabular-nums">{f.octets}</td>
                  <td className="px-2">{f.info}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </ScrollRegion>
      )}
    </section>
  );
}
