import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import { api, type CertificateImport, type DeviceCertificate, take } from "../../api/client";
import { Button, Failure, Field, FileLink, inputClass, Modal } from "../../ui/controls";

const date = (at: string) =>
  new Date(at).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });

/** Gives a device a certificate that another authority signed: of a key that the device makes, or of one that is brought. */
export function ImportDialog({ rows, close }: { rows: DeviceCertificate[]; close: () => void }) {
  const places = rows.map((r) => `${r.device} ${r.name}`); // what ends first comes first
  const [at, setAt] = useState(places[0] ?? "");
  places.sort();
  const [chain, setChain] = useState("");
  const [key, setKey] = useState("");
  const [plan, setPlan] = useState<CertificateImport>();
  const client = useQueryClient();
  const [device = "", place = ""] = at.split(" ");
  const path = { name: device, place };
  const request = useMutation({
    mutationFn: () =>
      take(api.POST("/api/v1/devices/{name}/certificates/{place}/request", { params: { path }, body: {} })),
  });
  const give = useMutation({
    mutationFn: (just: boolean) =>
      take(
        api.PUT("/api/v1/devices/{name}/certificates/{place}", {
          params: { path, query: { plan: just } },
          body: { chain, ...(key.trim() && { key }) },
        }),
      ),
    onSuccess: (answer) => {
      if (!answer.used) {
        setPlan(answer);
        return;
      }
      void client.invalidateQueries({ queryKey: ["certificates"] });
      toast.success(`${device} uses it, until ${date(answer.certificate.not_after)}.`);
      close();
    },
  });
  const changed = (set: (v: string) => void) => (v: string) => {
    set(v);
    setPlan(undefined);
    give.reset();
  };
  const submit = (e: FormEvent) => {
    e.preventDefault();
    give.mutate(!plan);
  };
  return (
    <Modal
      open
      onOpenChange={close}
      wide
      title="Import a certificate"
      description="Another authority signs a certificate for a device: of a request that the device makes, or of a key that you bring."
    >
      <form onSubmit={submit} className="grid gap-3">
        <div className="flex flex-wrap items-start gap-2">
          <div className="grow">
            <Field label="Device, and the place in it" help="What it uses stays in use until it is given the new one.">
              {(id, of) => (
                <select
                  id={id}
                  aria-describedby={of}
                  className={inputClass}
                  value={at}
                  onChange={(e) => {
                    changed(setAt)(e.target.value);
                    request.reset();
                  }}
                >
                  {places.map((p) => (
                    <option key={p}>{p}</option>
                  ))}
                </select>
              )}
            </Field>
          </div>
          <Button className="mt-[22px]" disabled={request.isPending} onClick={() => request.mutate()}>
            {request.isPending ? "Making a key…" : "Make a request"}
          </Button>
        </div>
        {request.error && <Failure error={request.error} />}
        {request.data && (
          <p>
            {device} made a new key.{" "}
            <FileLink
              href={`data:application/pkcs10,${encodeURIComponent(request.data.request)}`}
              title={`${device}.csr`}
            >
              Its request
            </FileLink>{" "}
            is what an authority signs; paste what it gives you below.
          </p>
        )}
        <Text
          label="Certificate"
          help="The device's own first, those of who signed it after it (PEM)."
          value={chain}
          set={changed(setChain)}
        />
        <Text
          label="Private key"
          help="Only where the device did not make it. It goes to the device and is kept nowhere else."
          value={key}
          set={changed(setKey)}
        />
        {give.error && <Failure error={give.error} />}
        {plan && (
          <div className="rounded-sm border border-rule bg-raised p-3">
            <p className="break-words">
              <span className="font-medium">{plan.certificate.subject}</span>, signed by {plan.certificate.issuer}, good
              for {plan.certificate.names.join(", ") || "no name"} until {date(plan.certificate.not_after)}.
            </p>
            <p className="break-all font-mono text-sm text-soft">SHA-256 {plan.certificate.fingerprint}</p>
            {plan.doubts.length > 0 && (
              <ul className="mt-1 list-disc pl-5">
                {plan.doubts.map((d) => (
                  <li key={d}>{d}</li>
                ))}
              </ul>
            )}
          </div>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Cancel</Button>
          <Button type="submit" kind="main" disabled={!chain.trim() || give.isPending}>
            {plan ? `Use it on ${device}` : "Look at it"}
          </Button>
        </div>
      </form>
    </Modal>
  );
}

function Text(props: { label: string; help: string; value: string; set: (v: string) => void }) {
  return (
    <Field label={props.label} help={props.help}>
      {(id, of) => (
        <textarea
          id={id}
          aria-describedby={of}
          className={`${inputClass} h-24 py-1 font-mono text-xs`}
          spellCheck={false}
          autoComplete="off"
          value={props.value}
          onChange={(e) => props.set(e.target.value)}
        />
      )}
    </Field>
  );
}
