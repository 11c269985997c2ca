import type { Standing } from "../../api/client";

/** Whether things are parts of a template or site, and not of devices. */
export const onLayer = (on: string[]) => on[0] !== undefined && /^(template|site)\//.test(on[0]);

/** A layer as people call it. */
export function layerWord(layer: string): string {
  if (layer === "device") return "itself";
  if (layer === "trial") return "on trial";
  return layer.replace(/^template\//, "").replace(/^site\//, "site ");
}

/** The layer from which most of the things have a setting; drift where one runs what none says. */
export const holdsBy = (st: Standing): string | undefined =>
  st.layers.find((l) => l.value === "drift")?.value ?? st.layers[0]?.value;

/** Of what kind a thing is, by its name: th-sw-02:vlan/40 is a vlan. Of several settings of one name, it tells which is meant. */
export function kindOf(target: string): string {
  const object = target.includes(":") ? target.slice(target.indexOf(":") + 1) : "";
  if (object === "") return "device";
  if (object === "self") return "template";
  if (/^lag\d+$/.test(object)) return "bundle";
  const kind = /^([a-z][a-z-]*)\//.exec(object)?.[1];
  return kind ?? "port";
}
