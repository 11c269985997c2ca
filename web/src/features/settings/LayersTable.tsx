import { clsx } from "clsx";
import type { Setting, Standing } from "../../api/client";
import { ScrollRegion } from "../../ui/controls";
import { holdsBy, layerWord } from "./layer";

/** What every layer says of the settings of one thing: the last one that speaks holds. */
export function LayersTable({
  rows,
  touched,
  follow,
}: {
  rows: { s: Setting; st: Standing }[];
  touched: Record<string, string | null>;
  follow: (name: string, on: boolean) => void;
}) {
  const spoken = rows.filter(({ st }) => (st.says ?? []).length > 1 || holdsBy(st) !== "default");
  const layers = [...new Set(spoken.flatMap(({ st }) => (st.says ?? []).map((s) => s.layer)))].sort(
    (a, b) => rank(a) - rank(b),
  );
  if (spoken.length === 0)
    return <p className="text-soft">Everything stands at its default: no layer says anything.</p>;
  return (
    <ScrollRegion label="What every layer says" className="mb-1 max-h-[340px] overflow-auto rounded border border-rule">
      <table className="w-full border-collapse text-left text-sm">
        <thead className="sticky top-0 bg-panel shadow-[inset_0_-1px_0_var(--rule)]">
          <tr>
            <th scope="col" className="h-7 whitespace-nowrap px-2 font-medium text-soft">
              Setting
            </th>
            {layers.map((l) => (
              <th key={l} scope="col" className="whitespace-nowrap px-2 font-medium text-soft">
                {layerWord(l)}
              </th>
            ))}
            <th scope="col" className="whitespace-nowrap px-2 font-medium text-soft">
              Runs
            </th>
            <th scope="col" className="px-2">
              <span className="sr-only">Follow</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {spoken.map(({ s, st }) => {
            const by = holdsBy(st);
            const says = new Map((st.says ?? []).map((x) => [x.layer, x]));
            const holds = st.says?.at(-1)?.layer;
            return (
              <tr key={s.name} className="border-t border-rule/60 first:border-0">
                <th scope="row" className="h-7 whitespace-nowrap px-2 font-normal" title={s.help}>
                  {s.title}
                </th>
                {layers.map((l) => {
                  const say = says.get(l);
                  return (
                    <td
                      key={l}
                      title={say?.change ? `by change ${say.change}` : undefined}
                      className={clsx(
                        "max-w-[200px] truncate px-2 font-mono",
                        say && l !== holds && "text-soft line-through",
                        say && l === holds && "font-semibold",
                      )}
                    >
                      {say ? say.value || "empty" : ""}
                    </td>
                  );
                })}
                <td className={clsx("max-w-[200px] truncate px-2 font-mono", by === "drift" && "text-degraded")}>
                  {st.values[0]?.value || "empty"}
                  {(by === "drift" || by === "trial") && <span className="ml-1 font-sans">{layerWord(by)}</span>}
                </td>
                <td className="px-2 text-right">
                  {says.has("device") && (
                    <label className="inline-flex items-center gap-1 whitespace-nowrap">
                      <input
                        type="checkbox"
                        checked={touched[s.name] === null}
                        onChange={(e) => follow(s.name, e.target.checked)}
                      />
                      follow
                      <span className="sr-only">the layers below in {s.title}</span>
                    </label>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </ScrollRegion>
  );
}

const order = ["default", "template", "site", "device"];
const rank = (layer: string) => order.indexOf(layer.split("/")[0] ?? "");
