package operation

import (
	"fmt"
	"math"
	"strconv"
	"time"

	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/setting"
)

// The operations.
const (
	Ping       Kind = "ping"
	Traceroute Kind = "traceroute"
	CableTest  Kind = "cable-test"
	Bounce     Kind = "bounce"
	PowerCycle Kind = "power-cycle"
	Reboot     Kind = "reboot"

	ClearCounters Kind = "clear-counters"
	Reopen        Kind = "reopen" // ports that a guard of the device shut
	Capture       Kind = "capture"
	Locate        Kind = "locate"
	Loopback      Kind = "loopback"
	Throughput    Kind = "throughput"
	Wake          Kind = "wake"
	EndSession    Kind = "end-session"
	BlockSource   Kind = "block-source"
	UnblockSource Kind = "unblock-source"
	Override      Kind = "override"     // of an inspection, for one station
	EndOverride   Kind = "end-override" // before its time
	Disconnect    Kind = "disconnect"   // a station in the air
	ShutDown      Kind = "shut-down"
	FactoryReset  Kind = "factory-reset"

	Install Kind = "install" // firmware, from a file that was sent
	Boot    Kind = "boot"    // the firmware of a slot

	Admit   Kind = "admit"   // a guest who was received on a portal
	Dismiss Kind = "dismiss" // one whose time is over
)

// maxPorts is at how many ports something is done at once.
const maxPorts = 52

// maxSessions is how many sessions are ended at once.
const maxSessions = 200

// maxCaptured is of how many ports frames are captured at once.
const maxCaptured = 8

var (
	to        = Param{Name: "to", Title: "To", Help: "an IP address or a name that the device can find", Value: setting.Host()}
	somePorts = Param{Name: "ports", Title: "Ports", Help: "which ports, such as 1/1/3,1/1/4", Value: setting.PortNames(maxPorts)}

	blocked = Param{Name: "source", Title: "Source", Help: "its IP address, such as 10.2.80.161", Value: setting.OneAddress()}

	overridden = Param{Name: "source", Title: "Station", Help: "its IP address, such as 10.2.20.31", Value: setting.OneAddress()}
	category   = Param{Name: "category", Title: "Category", Help: "as the device calls it, such as news", Value: setting.Words(40)}

	station = Param{Name: "station", Title: "Station", Help: "its hardware address, such as 02:4c:53:20:00:07", Value: setting.MAC()}

	vrf = Param{Name: "vrf", Title: "VRF", Help: "the routing table by which it goes, where the device has several", Free: true, Value: setting.Words(63)}
)

var kinds = []About{
	{Kind: Ping, Title: "Ping", Does: "sends echo requests (ICMP, RFC 792) and tells what comes back", Verb: rights.Operate, Feature: rights.Tests,
		Params: []Param{to,
			{Name: "count", Title: "Count", Help: "how many are sent", Default: "5", Value: setting.Whole(1, 100, "")},
			{Name: "size", Title: "Size", Help: "octets of data in each", Default: "56", Value: setting.Whole(8, 9000, "octets")},
			vrf},
		Columns: []Column{{"seq", "#", ""}, {"from", "From", ""}, {"octets", "Octets", ""}, {"ttl", "TTL", ""}, {"time", "Time", "ms"}, {"fault", "Fault", ""}},
		longest: func(r Request) time.Duration {
			n, _ := strconv.Atoi(r.Args["count"])
			return time.Duration(n)*3*time.Second + 15*time.Second
		},
		summarise: pings},
	{Kind: Traceroute, Title: "Traceroute", Does: "finds the routers on the way, one after another", Verb: rights.Operate, Feature: rights.Tests,
		Params: []Param{to,
			{Name: "hops", Title: "Hops", Help: "how far it looks", Default: "30", Value: setting.Whole(1, 64, "")},
			vrf},
		Columns: []Column{{"hop", "#", ""}, {"from", "Router", ""}, {"name", "Name", ""}, {"time", "Time", "ms"}, {"fault", "Fault", ""}},
		longest: func(Request) time.Duration { return 4 * time.Minute }},
	{Kind: CableTest, Title: "Cable test", Does: "measures the pairs of copper cables by what they reflect", Verb: rights.Operate, Feature: rights.Tests,
		Disturbs: "The links of the ports drop for some two seconds.",
		Params:   []Param{somePorts},
		Columns:  []Column{{"port", "Port", ""}, {"pair", "Pair", ""}, {"state", "State", ""}, {"length", "Length", "m"}, {"fault-at", "Fault at", "m"}},
		longest:  func(r Request) time.Duration { return time.Duration(len(r.Ports()))*5*time.Second + 20*time.Second },
		summarise: func(lines []Line) []Fact {
			bad := map[string]bool{}
			ports := map[string]bool{}
			for _, l := range lines {
				ports[l.Cells["port"]] = true
				if s := l.Cells["state"]; s == "open" || s == "short" {
					bad[l.Cells["port"]] = true
				}
			}
			return []Fact{{"Ports", strconv.Itoa(len(ports))}, {"With a fault", strconv.Itoa(len(bad))}}
		}},
	{Kind: Loopback, Title: "Loopback", Does: "sends test frames round inside a port, and counts those that come back", Verb: rights.Operate, Feature: rights.Tests,
		Disturbs: "The port carries nothing else meanwhile, and is as before when the time is over.",
		Params: []Param{{Name: "ports", Title: "Port", Help: "which port, such as 1/1/25", Value: setting.PortNames(1)},
			{Name: "for", Title: "For", Help: "seconds after which it ends by itself", Default: "10", Value: setting.Whole(1, 300, "s")}},
		Columns: []Column{{"port", "Port", ""}, {"sent", "Sent", "frames"}, {"back", "Back", "frames"}, {"fault", "Fault", ""}},
		longest: func(r Request) time.Duration { return seconds(r) + 30*time.Second },
		summarise: func(lines []Line) []Fact {
			sent, back := total(lines, "sent"), total(lines, "back")
			return []Fact{{"Sent", fmt.Sprintf("%.0f frames", sent)}, {"Lost", lost(sent, sent-back)}}
		}},
	{Kind: Throughput, Title: "Throughput", Does: "sends as much as goes through to another device, and measures rate, delay and loss (RFC 2544)", Verb: rights.Operate, Feature: rights.Tests,
		Disturbs: "It fills the links on the way: what else goes there is slowed down.",
		Params: []Param{to,
			{Name: "for", Title: "For", Help: "seconds for which it sends", Default: "5", Value: setting.Whole(1, 60, "s")},
			{Name: "most", Title: "At most", Help: "Mbit/s that it sends at most; all that goes through when left out", Free: true, Value: setting.Whole(1, 400_000, "Mbit/s")},
			{Name: "over", Title: "Over", Help: "a tunnel of the edge to that device, by its name: the circuit behind it is measured; the way that routes say when left out", Free: true, Value: setting.Words(63)}},
		Columns:   []Column{{"second", "#", ""}, {"rate", "Rate", "Mbit/s"}, {"delay", "Delay", "ms"}, {"loss", "Loss", "%"}, {"fault", "Fault", ""}},
		longest:   func(r Request) time.Duration { return seconds(r) + 30*time.Second },
		summarise: rates},
	{Kind: Capture, Title: "Capture", Does: "keeps what passes its ports, frame by frame, for a table and a file (pcapng)", Verb: rights.Operate, Feature: rights.Tests, Captures: true,
		Params: []Param{{Name: "ports", Title: "Ports", Help: "which ports, such as 1/1/3,1/1/4", Value: setting.PortNames(maxCaptured)},
			{Name: "filter", Title: "Filter", Help: "which frames, in the syntax of pcap-filter, such as tcp port 554 and host 10.20.50.7; all when left out", Free: true, Value: setting.Words(1000)},
			{Name: "count", Title: "Count", Help: "frames after which it ends", Default: "1000", Value: setting.Whole(1, 10_000, "")},
			{Name: "for", Title: "For", Help: "seconds after which it ends", Default: "30", Value: setting.Whole(1, 600, "s")},
			{Name: "length", Title: "Length", Help: "octets that are kept of each frame", Default: "256", Value: setting.Whole(64, 1518, "octets")},
			{Name: "size", Title: "Size", Help: "KiB after which it ends", Default: "4096", Value: setting.Whole(1, 8192, "KiB")}},
		Columns: []Column{{"frames", "Frames", ""}, {"octets", "Octets", ""}},
		longest: func(r Request) time.Duration { return seconds(r) + 2*time.Minute },
		summarise: func(lines []Line) []Fact {
			last := lines[len(lines)-1].Cells
			return []Fact{{"Frames", last["frames"]}, {"Octets", last["octets"]}}
		}},
	{Kind: Locate, Title: "Blink the light", Does: "blinks its light, or those of ports, so that it is found in its rack", Verb: rights.Operate, Feature: rights.Tests,
		Params: []Param{
			{Name: "for", Title: "For", Help: "seconds for which it blinks", Default: "60", Value: setting.Whole(1, 3600, "s")},
			{Name: "ports", Title: "Ports", Help: "which ports, such as 1/1/3,1/1/4; the device itself when left out", Free: true, Value: setting.PortNames(maxPorts)}},
		Columns: []Column{{"port", "Port", ""}, {"step", "Step", ""}},
		longest: func(r Request) time.Duration { return seconds(r) + 30*time.Second }},
	{Kind: Wake, Title: "Wake", Does: "sends a wake-up frame (Wake-on-LAN) for a station into a VLAN", Verb: rights.Operate, Feature: rights.Tests,
		Params: []Param{{Name: "mac", Title: "MAC", Help: "the hardware address of the station, such as 02:4c:53:20:00:07", Value: setting.MAC()},
			{Name: "vlan", Title: "VLAN", Help: "in which it is; the one in which the device saw it last when left out", Free: true, Value: setting.Whole(1, 4094, "")}},
		Columns: []Column{{"step", "Step", ""}},
		longest: func(Request) time.Duration { return time.Minute }},
	{Kind: Bounce, Title: "Bounce ports", Does: "takes the link of ports down and up again", Verb: rights.Operate, Feature: rights.Ports,
		Disturbs: "What hangs on the ports is cut off for some seconds.",
		Params: []Param{somePorts,
			{Name: "for", Title: "For", Help: "seconds for which they are down", Default: "3", Value: setting.Whole(1, 60, "s")}},
		Columns: []Column{{"port", "Port", ""}, {"step", "Step", ""}},
		longest: func(r Request) time.Duration { return seconds(r) + 30*time.Second }},
	{Kind: PowerCycle, Title: "Cycle power", Does: "takes power (PoE) from ports and gives it again", Verb: rights.Operate, Feature: rights.Ports,
		Disturbs: "What the ports feed is switched off and has to start again.",
		Params: []Param{somePorts,
			{Name: "for", Title: "For", Help: "seconds for which they have none", Default: "5", Value: setting.Whole(1, 60, "s")}},
		Columns: []Column{{"port", "Port", ""}, {"step", "Step", ""}},
		longest: func(r Request) time.Duration { return seconds(r) + 30*time.Second }},
	{Kind: Reopen, Title: "Open shut ports", Does: "opens ports again that a guard of its own shut", Verb: rights.Operate, Feature: rights.Ports,
		Params:  []Param{somePorts},
		Columns: []Column{{"port", "Port", ""}, {"step", "Step", ""}},
		longest: func(Request) time.Duration { return time.Minute }},
	{Kind: ClearCounters, Title: "Clear counters", Does: "counts the octets, frames and errors of ports from nought again", Verb: rights.Operate, Feature: rights.Ports,
		Params:  []Param{somePorts},
		Columns: []Column{{"port", "Port", ""}, {"step", "Step", ""}},
		longest: func(Request) time.Duration { return 30 * time.Second }},
	{Kind: EndSession, Title: "End sessions", Does: "ends sessions that it let begin", Verb: rights.Operate, Feature: rights.Devices,
		Disturbs: "Who takes part in them begins anew, or gives up.",
		Params:   []Param{{Name: "session", Title: "Sessions", Help: "by which the device knows them, such as 8f31c07a,92b4411d", Value: setting.WordList(maxSessions)}},
		Columns:  []Column{{"session", "Session", ""}, {"step", "Step", ""}},
		longest:  func(Request) time.Duration { return time.Minute }},
	{Kind: BlockSource, Title: "Block a source", Does: "lets a source reach nothing through it for a time, and ends its sessions", Verb: rights.Operate, Feature: rights.Devices,
		Disturbs: "The source reaches nothing through the device until the time is over or somebody lets it.",
		Params: []Param{blocked,
			{Name: "for", Title: "For", Help: "minutes after which it ends by itself", Default: "60", Value: setting.Whole(1, 43_200, "min")}},
		Columns: []Column{{"step", "Step", ""}},
		longest: func(Request) time.Duration { return time.Minute }},
	{Kind: UnblockSource, Title: "Let a source again", Does: "lets a source that was blocked reach what it may again", Verb: rights.Operate, Feature: rights.Devices,
		Params:  []Param{blocked},
		Columns: []Column{{"step", "Step", ""}},
		longest: func(Request) time.Duration { return time.Minute }},
	{Kind: Override, Title: "Override", Does: "lets a station see a category that its inspection blocks, for a time and in your name", Verb: rights.Operate, Feature: rights.Devices,
		Params: []Param{overridden, category,
			{Name: "for", Title: "For", Help: "minutes after which it ends by itself", Default: "30", Value: setting.Whole(1, 1440, "min")},
			{Name: "by", Title: "By", Help: "who lets it", Person: true, Value: setting.Words(63)}},
		Columns: []Column{{"step", "Step", ""}},
		longest: func(Request) time.Duration { return time.Minute }},
	{Kind: EndOverride, Title: "End an override", Does: "has a category be blocked for a station again", Verb: rights.Operate, Feature: rights.Devices,
		Params:  []Param{overridden, category},
		Columns: []Column{{"step", "Step", ""}},
		longest: func(Request) time.Duration { return time.Minute }},
	{Kind: Disconnect, Title: "Disconnect", Does: "takes a station off the air; it may join again", Verb: rights.Operate, Feature: rights.Devices,
		Disturbs: "The station is cut off until it has joined again, which takes some seconds.",
		Params:   []Param{station},
		Columns:  []Column{{"step", "Step", ""}},
		longest:  func(Request) time.Duration { return time.Minute }},
	{Kind: Reboot, Title: "Restart", Does: "starts again, with what it has saved", Verb: rights.Operate, Feature: rights.Devices,
		Disturbs: "The device and all that hangs behind it are cut off until it is back.", Leaves: true,
		Columns: []Column{{"step", "Step", ""}},
		longest: func(Request) time.Duration { return 15 * time.Minute }},
	{Kind: ShutDown, Title: "Shut down", Does: "switches itself off", Verb: rights.Operate, Feature: rights.Devices,
		Disturbs: "The device and all that hangs behind it are cut off until somebody switches it on by hand.", Leaves: true, Stays: true,
		Columns: []Column{{"step", "Step", ""}},
		longest: func(Request) time.Duration { return 5 * time.Minute }},
	{Kind: FactoryReset, Title: "Factory reset", Does: "forgets its configuration and starts as it left its maker", Verb: rights.Operate, Feature: rights.Devices,
		Disturbs: "The device loses all that it was set up to, and all that hangs behind it is cut off. It comes back when its serial number is claimed.", Leaves: true, Stays: true,
		Columns: []Column{{"step", "Step", ""}},
		longest: func(Request) time.Duration { return 5 * time.Minute }},
	{Kind: Install, Title: "Install firmware", Does: "puts the firmware of a file into the slot that does not run", Verb: rights.Operate, Feature: rights.Firmware, Inner: true, Of: "slots",
		Params: []Param{{Name: "file", Title: "File", Help: "its name on the device", Value: setting.Words(120)},
			{Name: "sha256", Title: "SHA-256", Help: "of the file, in hexadecimal digits", Value: setting.Words(64)}},
		Columns: []Column{{"step", "Step", ""}},
		longest: func(Request) time.Duration { return 15 * time.Minute }},
	{Kind: Boot, Title: "Boot a slot", Does: "starts again with the firmware of a slot", Verb: rights.Operate, Feature: rights.Firmware, Inner: true, Of: "slots", Leaves: true,
		Disturbs: "The device and all that hangs behind it are cut off until it is back.",
		Params:   []Param{{Name: "slot", Title: "Slot", Help: "its name", Value: setting.Words(63)}},
		Columns:  []Column{{"step", "Step", ""}},
		longest:  func(Request) time.Duration { return 15 * time.Minute }},
	{Kind: Admit, Title: "Admit a guest", Does: "lets a station that is sent to a portal through for a time", Verb: rights.Operate, Feature: rights.Guests, Inner: true,
		Params: []Param{station,
			{Name: "for", Title: "For", Help: "how long", Value: setting.Whole(1, 31_622_400, "s")},
			{Name: "rate", Title: "Rate", Help: "what it may send and receive at most; as the network says when left out", Free: true, Value: setting.Whole(64, 100_000_000, "kbit/s")}},
		Columns: []Column{{"step", "Step", ""}},
		longest: func(Request) time.Duration { return 20 * time.Second }},
	{Kind: Dismiss, Title: "Dismiss a guest", Does: "sends a station that was admitted to the portal again", Verb: rights.Operate, Feature: rights.Guests, Inner: true, Of: "admit",
		Params:  []Param{station},
		Columns: []Column{{"step", "Step", ""}},
		longest: func(Request) time.Duration { return 20 * time.Second }},
}

func seconds(r Request) time.Duration {
	n, _ := strconv.Atoi(r.Args["for"])
	return time.Duration(n) * time.Second
}

// total adds the numbers of a column up.
func total(lines []Line, column string) (sum float64) {
	for _, l := range lines {
		n, _ := strconv.ParseFloat(l.Cells[column], 64)
		sum += n
	}
	return sum
}

func lost(of, gone float64) string {
	if of == 0 {
		return "0 (0 %)"
	}
	return fmt.Sprintf("%.0f (%.2g %%)", gone, 100*gone/of)
}

// rates sums a throughput test up: by the seconds in which something went through.
func rates(lines []Line) []Fact {
	var through []Line
	most := 0.0
	for _, l := range lines {
		if rate, err := strconv.ParseFloat(l.Cells["rate"], 64); err == nil {
			through, most = append(through, l), max(most, rate)
		}
	}
	n := float64(len(through))
	if n == 0 {
		return []Fact{{"Mean rate", "0 Mbit/s"}}
	}
	return []Fact{{"Mean rate", fmt.Sprintf("%.1f Mbit/s", total(through, "rate")/n)}, {"Most", fmt.Sprintf("%.1f Mbit/s", most)},
		{"Mean delay", fmt.Sprintf("%.1f ms", total(through, "delay")/n)}, {"Mean loss", fmt.Sprintf("%.2f %%", total(through, "loss")/n)}}
}

// pings sums echo requests up: how many were lost, and the times there and back of the others.
func pings(lines []Line) []Fact {
	low, high, sum, got := math.Inf(1), 0.0, 0.0, 0
	for _, l := range lines {
		ms, err := strconv.ParseFloat(l.Cells["time"], 64)
		if err != nil || l.Cells["fault"] != "" {
			continue
		}
		low, high, sum = min(low, ms), max(high, ms), sum+ms
		got++
	}
	lost := len(lines) - got
	out := []Fact{{"Sent", strconv.Itoa(len(lines))}, {"Lost", fmt.Sprintf("%d (%.0f %%)", lost, 100*float64(lost)/float64(len(lines)))}}
	if got > 0 {
		out = append(out, Fact{"Least", fmt.Sprintf("%.1f ms", low)}, Fact{"Mean", fmt.Sprintf("%.1f ms", sum/float64(got))}, Fact{"Most", fmt.Sprintf("%.1f ms", high)})
	}
	return out
}
