package changes

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// ownOnly are settings that say which device or port it is: they are not copied.
var ownOnly = []string{"description", "location", "contact", "stp-priority", "bundle"}

// CopyRows returns rows that give devices the settings of another one: of the device itself, its VLANs, its lists, and its
// ports on the ports of the same names. What tells one device or port from another stays, and so do members of bundles and
// ports that others have not.
func (s *Service) CopyRows(from string, to, which []string) ([]Row, error) {
	source, ok := s.fleet.View(from)
	if !ok || !source.Known {
		return nil, fmt.Errorf("the configuration of %s was never read", from)
	}
	if len(to) == 0 {
		return nil, errors.New("no device was named that is to get them")
	}
	if slices.Contains(to, from) {
		return nil, fmt.Errorf("%s cannot be copied onto itself", from)
	}
	for _, name := range which {
		if parts := setting.CopiedParts(); !slices.Contains(parts, name) {
			last := len(parts) - 1
			return nil, fmt.Errorf("there is no part %q: there are %s and %s", name, strings.Join(parts[:last], ", "), parts[last])
		}
	}
	var rows []Row
	for _, object := range setting.Objects(source.Config) {
		part := setting.AboutKind(setting.KindOf(object)).CopiedAs
		if part == "" || len(which) > 0 && !slices.Contains(which, part) {
			continue
		}
		set := settingsToCopy(source.Config, object)
		var on []network.PortRef
		for _, device := range to {
			v, _ := s.fleet.View(device)
			if p, has := v.Config.Ports[object]; !setting.IsPort(object) || has && p.LAG == "" {
				on = append(on, network.PortRef{Device: device, Port: object})
			}
		}
		if len(set) > 0 && len(on) > 0 {
			rows = append(rows, Row{On: on, Set: set})
		}
	}
	return rows, nil
}

func settingsToCopy(c network.Config, object string) map[string]string {
	if c.Ports[object].LAG != "" {
		return nil
	}
	out := map[string]string{}
	for _, s := range slices.Concat(setting.OfObject(c, object), setting.Tables(setting.KindOf(object))) {
		if s.Value.Type == setting.TableRow {
			continue // a table is copied whole
		}
		v, err := s.Get(c, object)
		if err != nil || s.Own || slices.Contains(ownOnly, s.Name) || !s.HasDefault() && v == "" && s.Value.Type != setting.Table {
			continue
		}
		if _, err := intent.New(network.PortRef{Device: "x", Port: object}, s.Name, v); err == nil {
			out[s.Name] = v
		}
	}
	return out
}
