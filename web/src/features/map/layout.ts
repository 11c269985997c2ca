import type { ELK } from "elkjs/lib/elk-api";
import workerUrl from "elkjs/lib/elk-worker.min.js?url";
import type { Drawing } from "./drawing";

export type Places = Record<string, [number, number]>;

const sizes = { site: { width: 204, height: 46 }, device: { width: 138, height: 42 } };

export const sizeOf = (kind: string) => (kind === "site" ? sizes.site : sizes.device);

let elk: Promise<ELK> | undefined;

const engine = () => {
  elk ??= import("elkjs/lib/elk-api").then(({ default: Elk }) => new Elk({ workerUrl }));
  return elk;
};

/** How far each spot is from where the network comes in: what lies beyond, or else what is joined to most. */
function distances(d: Drawing): Map<string, number> {
  const near = new Map<string, string[]>();
  for (const t of d.ties) {
    near.set(t.a, [...(near.get(t.a) ?? []), t.b]);
    near.set(t.b, [...(near.get(t.b) ?? []), t.a]);
  }
  const degree = (id: string) => new Set(near.get(id)).size;
  const order = [...d.spots].sort(
    (a, b) => Number(b.beyond) - Number(a.beyond) || degree(b.id) - degree(a.id) || (a.id < b.id ? -1 : 1),
  );
  const far = new Map<string, number>();
  for (const start of order) {
    if (far.has(start.id)) continue;
    const queue = start.beyond ? order.filter((s) => s.beyond).map((s) => s.id) : [start.id];
    for (const id of queue) far.set(id, 0);
    for (let i = 0; i < queue.length; i++)
      for (const n of near.get(queue[i] ?? "") ?? [])
        if (!far.has(n)) {
          far.set(n, (far.get(queue[i] ?? "") ?? 0) + 1);
          queue.push(n);
        }
  }
  return far;
}

/** Finds a place for every spot. The same drawing has the same places, so that the map is the same at every visit. */
export async function arrange(d: Drawing, round: boolean): Promise<Places> {
  const far = distances(d);
  const spots = [...d.spots].sort((a, b) => (a.id < b.id ? -1 : 1));
  const ties = [...d.ties].sort((a, b) => (a.id < b.id ? -1 : 1));
  const graph = await (await engine()).layout({
    id: "map",
    layoutOptions: round
      ? {
          "elk.algorithm": "stress",
          "elk.stress.desiredEdgeLength": "250",
          "elk.spacing.nodeNode": "60",
        }
      : {
          "elk.algorithm": "layered",
          "elk.direction": "DOWN",
          "elk.layered.spacing.nodeNodeBetweenLayers": "64",
          "elk.spacing.nodeNode": "14",
          "elk.layered.considerModelOrder.strategy": "NODES_AND_EDGES",
          "elk.layered.nodePlacement.strategy": "NETWORK_SIMPLEX",
          "elk.randomSeed": "1",
        },
    children: spots.map((s) => ({ id: s.id, ...sizeOf(s.kind) })),
    edges: ties.map((t) => {
      const down = (far.get(t.a) ?? 0) <= (far.get(t.b) ?? 0);
      return { id: t.id, sources: [down ? t.a : t.b], targets: [down ? t.b : t.a] };
    }),
  });
  const boxes = (graph.children ?? []).map((c) => ({
    id: c.id,
    x: c.x ?? 0,
    y: c.y ?? 0,
    ...sizeOf(round ? "site" : ""),
  }));
  if (round) pushApart(boxes);
  return Object.fromEntries(boxes.map((b) => [b.id, [Math.round(b.x), Math.round(b.y)]]));
}

type Box = { x: number; y: number; width: number; height: number };

/** Moves boxes that lie over each other apart, by the shorter way. */
function pushApart(boxes: Box[]) {
  const gap = 18;
  for (let turn = 0; turn < 40; turn++) {
    let moved = false;
    boxes.forEach((a, i) => {
      for (const b of boxes.slice(i + 1)) {
        const dx = a.width + gap - Math.abs(a.x - b.x);
        const dy = a.height + gap - Math.abs(a.y - b.y);
        if (dx <= 0 || dy <= 0) continue;
        moved = true;
        if (dy <= dx) {
          const by = (a.y <= b.y ? -dy : dy) / 2;
          a.y += by;
          b.y -= by;
        } else {
          const by = (a.x <= b.x ? -dx : dx) / 2;
          a.x += by;
          b.x -= by;
        }
      }
    });
    if (!moved) return;
  }
}
