import { Suspense } from "react";
import { Navigate, Route, Routes, useParams } from "react-router";
import { Toaster } from "sonner";
import { useMe } from "../api/queries";
import { DevicePage } from "../features/devices/DevicePage";
import { DevicesPage } from "../features/devices/DevicesPage";
import { PortsPage } from "../features/ports/PortsPage";
import { SignInPage } from "../features/signin/SignInPage";
import { WatchPage } from "../features/watch/WatchPage";
import { Empty, Failure } from "../ui/controls";
import { late, Whole } from "../ui/late";
import { Frame } from "./Frame";

const AlarmsPage = late(() => import("../features/alarms/AlarmsPage").then((m) => ({ default: m.AlarmsPage })));
const JobsPage = late(() => import("../features/jobs/JobsPage").then((m) => ({ default: m.JobsPage })));
const CertificatesPage = late(() =>
  import("../features/certificates/CertificatesPage").then((m) => ({ default: m.CertificatesPage })),
);
const BackupsPage = late(() => import("../features/backups/BackupsPage").then((m) => ({ default: m.BackupsPage })));
const BetweenPage = late(() => import("../features/between/BetweenPage").then((m) => ({ default: m.BetweenPage })));
const GuestsPage = late(() => import("../features/guests/GuestsPage").then((m) => ({ default: m.GuestsPage })));
const WirelessPage = late(() => import("../features/wireless/WirelessPage").then((m) => ({ default: m.WirelessPage })));
const PoliciesPage = late(() => import("../features/policies/PoliciesPage").then((m) => ({ default: m.PoliciesPage })));
const FirmwarePage = late(() => import("../features/firmware/FirmwarePage").then((m) => ({ default: m.FirmwarePage })));
const ClientsPage = late(() => import("../features/clients/ClientsPage").then((m) => ({ default: m.ClientsPage })));
const SitesPage = late(() => import("../features/sites/SitesPage").then((m) => ({ default: m.SitesPage })));
const DiscoverPage = late(() => import("../features/discover/DiscoverPage").then((m) => ({ default: m.DiscoverPage })));
const PeoplePage = late(() => import("../features/people/PeoplePage").then((m) => ({ default: m.PeoplePage })));
const OwnPage = late(() => import("../features/people/OwnPage").then((m) => ({ default: m.OwnPage })));
const MapPage = late(() => import("../features/map/MapPage").then((m) => ({ default: m.MapPage })));
const GroupsPage = late(() => import("../features/groups/GroupsPage").then((m) => ({ default: m.GroupsPage })));
const ClaimsPage = late(() => import("../features/arrivals/ClaimsPage").then((m) => ({ default: m.ClaimsPage })));
const VLANsPage = late(() => import("../features/vlans/VLANsPage").then((m) => ({ default: m.VLANsPage })));
const TemplatesPage = late(() =>
  import("../features/layers/TemplatesPage").then((m) => ({ default: m.TemplatesPage })),
);
const DriftPage = late(() => import("../features/layers/DriftPage").then((m) => ({ default: m.DriftPage })));
const SetupPage = late(() => import("../features/setup/SetupPage").then((m) => ({ default: m.SetupPage })));
const ChangesPage = late(() => import("../features/changes/ChangesPage").then((m) => ({ default: m.ChangesPage })));

/** A change lies in the tray beside whatever is open; by its number it has an address to send to others. */
function ToChange() {
  return <Navigate to={`/changes?tray=${useParams().number}`} replace />;
}

export function App() {
  const me = useMe();
  if (me.isPending) return null;
  if (me.isError) return <Failure error={me.error} retry={() => void me.refetch()} />;
  return (
    <>
      {me.data ? (
        <Frame me={me.data}>
          <Whole>
            <Suspense>
              <Routes>
                <Route path="/" element={<Navigate to="/watch" replace />} />
                <Route path="/watch" element={<WatchPage me={me.data} />} />
                <Route path="/alarms" element={<AlarmsPage me={me.data} />} />
                <Route path="/devices" element={<DevicesPage me={me.data} />} />
                <Route path="/devices/:name" element={<DevicePage me={me.data} />} />
                <Route path="/ports" element={<PortsPage me={me.data} />} />
                <Route path="/clients" element={<ClientsPage me={me.data} />} />
                <Route path="/sites" element={<SitesPage me={me.data} />} />
                <Route path="/discover" element={<DiscoverPage me={me.data} />} />
                <Route path="/people" element={<PeoplePage me={me.data} />} />
                <Route path="/own" element={<OwnPage me={me.data} />} />
                <Route path="/expected" element={<ClaimsPage me={me.data} />} />
                <Route path="/map" element={<MapPage me={me.data} />} />
                <Route path="/vlans" element={<VLANsPage me={me.data} />} />
                <Route path="/templates" element={<TemplatesPage me={me.data} />} />
                <Route path="/drift" element={<DriftPage me={me.data} />} />
                <Route path="/jobs" element={<JobsPage me={me.data} />} />
                <Route path="/between" element={<BetweenPage me={me.data} />} />
                <Route path="/guests" element={<GuestsPage me={me.data} />} />
                <Route path="/wireless" element={<WirelessPage me={me.data} />} />
                <Route path="/policies" element={<PoliciesPage me={me.data} />} />
                <Route path="/firmware" element={<FirmwarePage me={me.data} />} />
                <Route path="/certificates" element={<CertificatesPage me={me.data} />} />
                <Route path="/backups" element={<BackupsPage me={me.data} />} />
                <Route path="/groups" element={<GroupsPage me={me.data} />} />
                <Route path="/setup" element={<SetupPage me={me.data} />} />
                <Route path="/changes" element={<ChangesPage me={me.data} />} />
                <Route path="/changes/:number" element={<ToChange />} />
                <Route
                  path="*"
                  element={
                    <Empty title="There is nothing at this address">
                      Choose an area on the left, or press Ctrl-K and type where to go.
                    </Empty>
                  }
                />
              </Routes>
            </Suspense>
          </Whole>
        </Frame>
      ) : (
        <SignInPage />
      )}
      <Toaster
        position="bottom-center"
        closeButton
        toastOptions={{ className: "!bg-raised !text-ink !border-rule !font-sans" }}
      />
    </>
  );
}
