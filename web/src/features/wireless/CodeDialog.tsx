import { type FormEvent, useEffect, useState } from "react";
import type { WirelessNetwork } from "../../api/client";
import { Button, Field, inputClass, Modal } from "../../ui/controls";
import { useJoinCode } from "./queries";

/** The code by which a phone joins a network. The service never tells a passphrase: it is typed, and kept nowhere. */
export function CodeDialog({ n, close }: { n: WirelessNetwork; close: () => void }) {
  const personal = n.security.endsWith("-personal");
  const [passphrase, setPassphrase] = useState("");
  const code = useJoinCode();
  const make = code.mutate;
  useEffect(() => {
    if (!personal) make({ ssid: n.ssid, security: n.security });
  }, [personal, make, n]);
  const rows = code.data?.rows ?? [];
  const quiet = 4; // light modules around it (ISO/IEC 18004)
  const size = rows.length + 2 * quiet;
  return (
    <Modal
      open
      onOpenChange={(on) => !on && close()}
      title={`Join ${n.ssid}`}
      description={
        personal
          ? "The service never tells a passphrase: type it, and it goes into the code. It is kept nowhere."
          : "Hold the camera of a phone in front of it."
      }
    >
      {personal && (
        <form
          className="mb-3 flex items-end gap-2"
          onSubmit={(e: FormEvent) => {
            e.preventDefault();
            make({ ssid: n.ssid, security: n.security, passphrase });
          }}
        >
          <Field label="Passphrase" help="as the network has it">
            {(id, by) => (
              <input
                id={id}
                aria-describedby={by}
                className={inputClass}
                type="password"
                autoComplete="off"
                maxLength={63}
                value={passphrase}
                onChange={(e) => setPassphrase(e.target.value)}
              />
            )}
          </Field>
          <Button type="submit" kind="main" className="mb-5" disabled={passphrase.length < 8}>
            Make the code
          </Button>
        </form>
      )}
      {code.isError && (
        <p role="alert" className="text-down">
          {code.error.message}
        </p>
      )}
      {rows.length > 0 && (
        <svg
          viewBox={`0 0 ${size} ${size}`}
          role="img"
          aria-label={`Code to join ${n.ssid}`}
          shapeRendering="crispEdges"
          className="mx-auto block w-full max-w-[320px] rounded"
        >
          <rect width={size} height={size} fill="#fff" />
          <path
            fill="#000"
            d={rows
              .flatMap((row, y) =>
                [...row].map((c, x) => (c === "#" ? `M${x + quiet} ${y + quiet}h1v1h-1z` : "")).filter(Boolean),
              )
              .join("")}
          />
        </svg>
      )}
    </Modal>
  );
}
