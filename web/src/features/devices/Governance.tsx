import { Link } from "react-router";
import type { DeviceDetail } from "../../api/client";
import { Shape } from "../../ui/health";
import { many } from "../../ui/time";

const words = {
  here: "",
  watched: "It is only watched: nothing on it is changed from here.",
  local: "It is under local control: nothing on it is changed from here until it is taken back.",
};

/** Who changes the device, and whether it runs what is intended; nothing where all is as usual. */
export function Governance({ d }: { d: DeviceDetail }) {
  if (d.control === "here" && !d.drift) return null;
  return (
    <div className="flex items-center gap-3 rounded border border-degraded bg-panel px-3 py-2">
      <Shape state="degraded" size={11} />
      <p className="grow">
        {words[d.control]}{" "}
        {d.drift
          ? `It runs ${many(d.drift, "setting")} other than intended.`
          : d.control === "local" && "Nothing differs."}
      </p>
      {!!d.drift && <Link to="/drift">Look at the drift</Link>}
    </div>
  );
}
