import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Trash2, Upload } from "lucide-react";
import { useRef, useState } from "react";
import { toast } from "sonner";
import { api, take, upload } from "../../api/client";
import { Button, Empty, Failure, Panel } from "../../ui/controls";
import { dayTime } from "../../ui/time";

/** The files of a device: asked for by hand, since the device has to tell them. */
export function Files({ device }: { device: string }) {
  const [wanted, setWanted] = useState(false);
  const [sure, setSure] = useState("");
  const input = useRef<HTMLInputElement>(null);
  const qc = useQueryClient();
  const key = ["device-files", device];
  const path = `/api/v1/devices/${encodeURIComponent(device)}/files`;
  const files = useQuery({
    queryKey: key,
    queryFn: () => take(api.GET("/api/v1/devices/{name}/files", { params: { path: { name: device } } })),
    enabled: wanted,
    staleTime: 0,
  });
  const renew = () => {
    setSure("");
    void qc.invalidateQueries({ queryKey: key });
  };
  const remove = useMutation({
    mutationFn: (file: string) =>
      take(api.DELETE("/api/v1/devices/{name}/files/{file}", { params: { path: { name: device, file } } })),
    onSuccess: renew,
    onError: (e) => toast.error(e.message),
  });
  const put = useMutation({
    mutationFn: (file: File) => upload("PUT", `${path}/${encodeURIComponent(file.name)}`, file, () => {}),
    onSuccess: renew,
    onError: (e) => toast.error(e.message),
  });
  return (
    <Panel
      title="Files"
      aside={
        <span className="flex gap-1">
          <Button
            kind="quiet"
            className="!h-6 text-buff-ink"
            onClick={() => (wanted ? void files.refetch() : setWanted(true))}
          >
            {wanted ? "Ask again" : "List its files"}
          </Button>
          <Button
            kind="quiet"
            className="!h-6 text-buff-ink"
            disabled={put.isPending}
            onClick={() => input.current?.click()}
          >
            <Upload size={14} aria-hidden /> {put.isPending ? "Sending…" : "Send a file"}
          </Button>
          <input
            ref={input}
            type="file"
            hidden
            aria-label="A file to send"
            onChange={(e) => {
              const file = e.target.files?.[0];
              e.target.value = "";
              if (file) {
                setWanted(true);
                put.mutate(file);
              }
            }}
          />
        </span>
      }
    >
      {files.isError && <Failure error={files.error} retry={() => void files.refetch()} />}
      {wanted && !files.data && !files.isError && <p className="p-3 text-soft">The device is asked…</p>}
      {files.data && files.data.items.length === 0 && (
        <Empty title="It has no files">
          Captures lie here until they are fetched, and firmware until it is installed.
        </Empty>
      )}
      {files.data && files.data.items.length > 0 && (
        <ul>
          {files.data.items.map((f) => (
            <li
              key={f.name}
              className="flex flex-wrap items-center gap-x-3 border-b border-rule/60 px-3 py-1 last:border-0"
            >
              <a
                className="grow font-mono text-accent hover:underline"
                href={`${path}/${encodeURIComponent(f.name)}`}
                download
              >
                {f.name}
              </a>
              <span className="text-sm text-soft tabular-nums">{f.octets.toLocaleString("en-GB")} octets</span>
              <span className="text-sm text-soft">{dayTime(f.changed_at)}</span>
              {sure === f.name ? (
                <span className="flex gap-1">
                  <Button
                    kind="danger"
                    className="!h-6"
                    disabled={remove.isPending}
                    onClick={() => remove.mutate(f.name)}
                  >
                    Remove it for good
                  </Button>
                  <Button className="!h-6" onClick={() => setSure("")}>
                    Leave it
                  </Button>
                </span>
              ) : (
                <Button
                  kind="quiet"
                  className="!h-6 px-1"
                  aria-label={`Remove file ${f.name}`}
                  onClick={() => setSure(f.name)}
                >
                  <Trash2 size={14} aria-hidden />
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
    </Panel>
  );
}
