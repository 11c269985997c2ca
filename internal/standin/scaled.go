package standin

import "fmt"

// Scaled is a company of many like sites for load tests: each an edge and nineteen switches, a thousand ports in all. The
// first site's edge is the hub, to which every other has a tunnel.
func Scaled(sites int) Plant {
	y := &yard{devices: map[string]*DeviceSpec{}}
	for s := range sites {
		code := fmt.Sprintf("s%03d", s)
		y.at("site-"+code, code, 0)
		y.block = fmt.Sprintf("127.%d.%d", 30+s/200, s%200)
		edge := y.add("edge", "E50", 1)
		first := y.add("sw", "H48P", 1)
		y.link(first.Name, "1/1/48", edge.Name, "lan1")
		for n := 2; n <= 19; n++ {
			d := y.add("sw", "H48P", n)
			y.link(first.Name, fmt.Sprintf("1/1/%d", 28+n), d.Name, "1/1/49")
			y.plug(d.Name, desks.of(16), phones.of(6), cameras.of(2))
		}
		y.provider(edge.Name, "wan1")
		if s == 0 {
			y.plant.Entries = []string{edge.Name}
			continue
		}
		y.plant.Tunnels = append(y.plant.Tunnels, TunnelSpec{Name: code + "-hub", A: edge.Name + ":wan1", B: y.plant.Entries[0] + ":wan1", Underlay: "fibre", DelayMs: 9, JitterMs: 1})
	}
	for _, name := range y.order {
		y.plant.Devices = append(y.plant.Devices, *y.devices[name])
	}
	return y.plant
}
