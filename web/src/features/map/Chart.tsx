import {
  Background,
  BaseEdge,
  Controls,
  type Edge,
  EdgeLabelRenderer,
  type EdgeProps,
  Handle,
  type Node,
  type NodeProps,
  Position,
  ReactFlow,
  ReactFlowProvider,
  useNodesState,
  useReactFlow,
} from "@xyflow/react";
import "@xyflow/react/dist/base.css";
import { clsx } from "clsx";
import { MapPin } from "lucide-react";
import { useEffect, useState } from "react";
import { Shape } from "../../ui/health";
import { KindIcon } from "../../ui/kinds";
import type { Drawing, Spot, Tie } from "./drawing";
import { arrange, type Places, sizeOf } from "./layout";

type SpotNode = Node<{ spot: Spot; on: boolean }, "spot">;
type TieEdge = Edge<{ tie: Tie; on: boolean; vlan: boolean }, "tie">;

function SpotBox({ data: { spot, on } }: NodeProps<SpotNode>) {
  return (
    <div
      className={clsx(
        "relative flex items-center gap-1.5 rounded-sm border bg-panel px-1.5",
        on ? "border-accent outline-2 outline-accent" : spot.beyond ? "border-dashed border-soft" : "border-rule",
        spot.faint && "opacity-40",
      )}
      style={sizeOf(spot.kind)}
    >
      <Handle type="target" position={Position.Top} isConnectable={false} className="map-middle" />
      <Handle type="source" position={Position.Top} isConnectable={false} className="map-middle" />
      <span className="text-soft">{spot.kind === "site" ? <MapPin size={18} /> : <KindIcon kind={spot.kind} />}</span>
      <span className="min-w-0 grow leading-tight">
        <span className={clsx("block truncate text-sm", spot.kind === "site" ? "font-semibold" : "font-mono")}>
          {spot.title}
        </span>
        <span className="block truncate text-xs text-soft">{spot.note}</span>
      </span>
      {spot.alarm && (
        <span
          className={clsx(
            "absolute -top-2 -right-1.5 flex h-4 items-center gap-0.5 rounded-sm border bg-panel px-1 text-xs font-semibold",
            spot.alarm === "critical" || spot.alarm === "major"
              ? "border-down text-down"
              : "border-degraded text-degraded",
          )}
          title={`${spot.alarms} ${spot.alarms === 1 ? "alarm" : "alarms"}, the worst ${spot.alarm}`}
        >
          <Shape state={spot.alarm} size={9} />
          {spot.alarms}
        </span>
      )}
      <Shape state={spot.health} size={13} />
    </div>
  );
}

const strokes: Record<string, string> = {
  well: "var(--soft)",
  degraded: "var(--degraded)",
  down: "var(--down)",
  unknown: "var(--unknown)",
  off: "var(--off)",
};

function strokeOf(t: Tie, vlan: boolean): { color: string; width: number; dash?: string } {
  const dash = t.tunnel ? "7 5" : t.radio ? "2 4" : undefined;
  if (vlan) {
    if (t.vlan === "carried") return { color: "var(--accent)", width: 3, dash };
    if (t.vlan === "held") return { color: "var(--accent)", width: 1.5, dash: "4 4" };
    if (t.vlan === "stopped") return { color: "var(--down)", width: 2.5, dash: "4 4" };
    return { color: "var(--rule)", width: 1, dash };
  }
  const mbps = Math.max(0, ...t.lines.map((l) => l.speed_mbps ?? 0));
  return { color: strokes[t.health] ?? "var(--soft)", width: mbps >= 10_000 ? 3 : mbps >= 1000 ? 2 : 1.5, dash };
}

function TieLine({ sourceX, sourceY, targetX, targetY, data, id }: EdgeProps<TieEdge>) {
  if (!data) return null;
  const { tie, on, vlan } = data;
  const length = Math.hypot(targetX - sourceX, targetY - sourceY) || 1;
  const aside = tie.place * 14;
  const dx = (-(targetY - sourceY) / length) * aside;
  const dy = ((targetX - sourceX) / length) * aside;
  const [ax, ay, bx, by] = [sourceX + dx, sourceY + dy, targetX + dx, targetY + dy];
  const { color, width, dash } = strokeOf(tie, vlan);
  const at = (part: number) => ({ x: ax + (bx - ax) * part, y: ay + (by - ay) * part });
  const middle = at(0.5);
  const notable =
    on ||
    tie.health !== "well" ||
    (vlan ? tie.vlan === "stopped" : tie.lines.length > 1 || (tie.lines[0]?.members ?? 0) > 1);
  const stop = at(tie.blocked === "a" ? 0.3 : 0.7);
  return (
    <>
      <BaseEdge
        id={id}
        path={`M ${ax} ${ay} L ${bx} ${by}`}
        interactionWidth={18}
        style={{ stroke: on ? "var(--accent)" : color, strokeWidth: on ? width + 1.5 : width, strokeDasharray: dash }}
      />
      {tie.blocked && (
        <g transform={`translate(${stop.x} ${stop.y})`} stroke={color} strokeWidth={2.5}>
          <title>blocked by spanning tree</title>
          <circle r={7} fill="var(--panel)" strokeWidth={1.5} />
          <path d="M-3.5 -3.5 3.5 3.5M-3.5 3.5 3.5 -3.5" />
        </g>
      )}
      <EdgeLabelRenderer>
        <span
          className={clsx(
            "nopan pointer-events-none absolute rounded-sm bg-ground/90 px-1 text-[10.5px] leading-4",
            on
              ? "font-semibold text-accent"
              : tie.health === "down" || (vlan && tie.vlan === "stopped")
                ? "text-down"
                : "text-soft",
            tie.tunnel && !notable && "hidden",
          )}
          style={{ transform: `translate(-50%, -50%) translate(${middle.x}px, ${middle.y}px)` }}
        >
          {vlan && tie.vlan === "stopped" ? tie.why : tie.label}
        </span>
      </EdgeLabelRenderer>
    </>
  );
}

const nodeTypes = { spot: SpotBox };
const edgeTypes = { tie: TieLine };

type Props = {
  drawing: Drawing;
  vlan: boolean;
  round: boolean;
  kept: Places;
  onKept: (p: Places) => void;
  pick: string;
  onPick: (id: string) => void;
  onOpen: (id: string) => void;
};

export function Chart(props: Props) {
  return (
    <ReactFlowProvider>
      <Inner {...props} />
    </ReactFlowProvider>
  );
}

function Inner({ drawing, vlan, round, kept, onKept, pick, onPick, onOpen }: Props) {
  const [places, setPlaces] = useState<Places>({});
  const [nodes, setNodes, onNodesChange] = useNodesState<SpotNode>([]);
  const flow = useReactFlow();
  // It is arranged anew when something joins or leaves, not when a state changes.
  const shape = JSON.stringify([drawing.spots.map((s) => s.id).sort(), drawing.ties.map((t) => t.id).sort(), round]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: shape stands for the drawing
  useEffect(() => {
    let current = true;
    void arrange(drawing, round).then((p) => {
      if (!current) return;
      setPlaces(p);
      window.setTimeout(() => void flow.fitView({ padding: 0.08 }), 50);
    });
    return () => {
      current = false;
    };
  }, [shape]);
  useEffect(() => {
    setNodes(
      drawing.spots
        .filter((s) => places[s.id])
        .map((spot) => {
          const [x, y] = kept[spot.id] ?? places[spot.id] ?? [0, 0];
          return {
            id: spot.id,
            type: "spot",
            position: { x, y },
            data: { spot, on: pick === spot.id },
            ariaLabel: `${spot.title}, ${spot.health}${spot.alarm ? `, ${spot.alarms} alarms, the worst ${spot.alarm}` : ""}`,
          };
        }),
    );
  }, [drawing, places, kept, pick, setNodes]);
  const edges: TieEdge[] = drawing.ties
    .filter((t) => places[t.a] && places[t.b])
    .map((tie) => ({
      id: tie.id,
      source: tie.a,
      target: tie.b,
      type: "tie",
      data: { tie, on: pick === tie.id, vlan },
      ariaLabel: `${tie.a} to ${tie.b}, ${tie.health}`,
    }));
  return (
    <ReactFlow
      nodes={nodes}
      edges={edges}
      nodeTypes={nodeTypes}
      edgeTypes={edgeTypes}
      onNodesChange={onNodesChange}
      onNodeClick={(_, n) => onPick(n.id)}
      onNodeDoubleClick={(_, n) => onOpen(n.id)}
      onEdgeClick={(_, e) => onPick(e.id)}
      onPaneClick={() => onPick("")}
      onNodeDragStop={(_, n, moved) =>
        onKept({
          ...kept,
          ...Object.fromEntries([n, ...moved].map((m) => [m.id, [Math.round(m.position.x), Math.round(m.position.y)]])),
        })
      }
      nodesConnectable={false}
      deleteKeyCode={null}
      zoomOnDoubleClick={false}
      minZoom={0.1}
      maxZoom={2}
      fitView
      proOptions={{ hideAttribution: true }}
      className="bg-ground"
    >
      <Background gap={24} color="var(--rule)" />
      <Controls showInteractive={false} className="map-controls" />
    </ReactFlow>
  );
}
