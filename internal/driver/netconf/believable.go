package netconf

import (
	"fmt"

	"example.net/everypost/internal/core/network"
)

// What one device may tell of. They are several times what the largest have, and keep one device from making the lists of all
// others slow. A device that tells of more is not read.
const (
	maxPorts    = 8192
	maxObjects  = 8192 // besides ports: bundles, users, access lists ...
	maxStations = 20_000
	maxLearned  = 150_000 // hardware addresses, neighbours of IP, routes
	maxParts    = 8192    // of hardware, tunnels, radios and the like
)

type amount struct {
	n, most int
	of      string
}

func believable(amounts ...amount) error {
	for _, a := range amounts {
		if a.n > a.most {
			return fmt.Errorf("the device tells of %d %s, and more than %d are not believed", a.n, a.of, a.most)
		}
	}
	return nil
}

func believableConfig(c network.Config) error {
	return believable(amount{len(c.Ports), maxPorts, "ports"}, amount{len(c.Bundles), maxObjects, "bundles"}, amount{len(c.Objects), maxObjects, "things that are set up"},
		amount{len(c.Services), maxParts, "services"})
}

func believableState(s network.State) error {
	return believable(amount{len(s.Ports), maxPorts, "ports"}, amount{len(s.Resolved), maxLearned, "addresses of neighbours"})
}

func believableInside(in network.Inside) error {
	routes, peers := 0, 0
	for _, v := range in.VRFs {
		if v.BGP != nil {
			peers += len(v.BGP.Neighbours)
		}
		if v.OSPF != nil {
			for _, i := range v.OSPF.Interfaces {
				peers += 1 + len(i.Neighbours)
			}
		}
		routes += len(v.Routes)
	}
	steered := 0
	if in.Steered != nil {
		steered = len(in.Steered.Flows) + len(in.Steered.Moves)
	}
	h := in.Hardware
	return believable(amount{len(in.MACs), maxLearned, "hardware addresses"}, amount{routes, maxLearned, "routes"}, amount{len(in.Stations), maxStations, "wireless clients"},
		amount{len(h.Fans) + len(h.Supplies) + len(h.Transceivers), maxParts, "parts of hardware"}, amount{len(in.Tunnels), maxParts, "tunnels"}, amount{steered, maxParts, "flows and their moves"},
		amount{len(in.Radios), maxParts, "radios"}, amount{len(in.Bundles), maxObjects, "bundles"}, amount{len(in.Services), maxParts, "services"},
		amount{len(in.Licences), maxParts, "licences"}, amount{len(in.VRFs) + peers, maxParts, "routing instances and their peers"},
		amount{len(in.Classes) + len(in.Logins) + len(in.Contacts) + len(in.Lists) + len(in.Rings), maxLearned, "counts"})
}
