package guard

import (
	"testing"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

func TestSteering(t *testing.T) {
	t.Parallel()
	edge := network.Config{Hostname: "a", Features: []network.Feature{setting.Steering, setting.Tunnels}, Ports: map[string]network.PortConfig{"wan1": {Enabled: true}},
		Objects: map[string]network.Settings{setting.SteeringObject: {setting.WayName(10): "application voice,video over fibre,cellular delay 150"}}}
	house := func() Proposal {
		return Proposal{Before: map[string]network.Config{"a": edge}, Insides: map[string]network.Inside{"a": {Tunnels: []network.Tunnel{
			{Name: "a-fibre", Underlay: "fibre", Port: "wan1", RemoteSystem: "b", Up: true, DelayMs: 8}, {Name: "a-cell", Underlay: "cellular", Port: "cell0", RemoteSystem: "b", Up: true, DelayMs: 40}}}}}
	}
	row := func(number int, text string) [][3]string {
		return [][3]string{{"a:" + setting.SteeringObject, setting.WayName(number), text}}
	}
	for name, tc := range map[string]guardCase{
		"another limit":        {edits: row(10, "application voice,video over fibre,cellular delay 100")},
		"another way now":      {edits: row(10, "application voice,video over cell0,fibre"), want: []string{"steering:a:moves:10"}, says: "application voice,video would go another way: to b over a-cell."},
		"a limit that is low":  {edits: row(10, "application voice,video over fibre,cellular delay 5"), want: []string(nil)},
		"never reached":        {edits: row(20, "application voice service udp/5060 to 10.1.0.0/16 over cellular"), want: []string{"steering:a:unreached:20"}, says: "way 10 before it fits all that it fits"},
		"reached":              {edits: row(5, "application voice service udp/5060 over fibre")},
		"no such circuit":      {edits: row(20, "application files over satellite"), want: []string{"steering:a:nowhere:20"}, says: "no tunnel of it is over satellite"},
		"dropped":              {edits: row(20, "application files over satellite else drop"), want: []string{"steering:a:nowhere:20"}, says: "would go nowhere"},
		"twice, and it can be": {edits: row(20, "dscp 46 over fibre,cellular send twice")},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			tc.holds(t, house(), "steering")
		})
	}
}
