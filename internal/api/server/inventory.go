package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/store"
)

// NamePath is the name in an address. (Huma looks only into embedded structs that are exported.)
type NamePath struct {
	Name string `path:"name" maxLength:"63"`
}

func (s *server) inventoryRoutes(api huma.API) {
	s.siteRoutes(api)
	s.clientRoutes(api)
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/devices", "list-devices", "The devices",
		func(ctx context.Context, in *ListQuery) (*body[v1.List[v1.Device]], error) {
			q, err := s.query(ctx, in, selector.Device)
			if err != nil {
				return nil, err
			}
			return page(q, s.Inventory.Devices(q), s.devicesOut(ctx)), nil
		})
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/devices/{name}", "get-device", "A device with its front and ports",
		func(ctx context.Context, in *NamePath) (*body[v1.DeviceDetail], error) { return s.device(ctx, in.Name) })
	type describeInput struct {
		NamePath
		Body v1.DeviceDescription
	}
	register(s, api, may(rights.Operate, rights.Devices), http.MethodPut, "/devices/{name}/description", "describe-device", "Say where a device is, and what people know of it",
		func(ctx context.Context, in *describeInput) (*struct{}, error) {
			err := s.onDevice(ctx, operateDevices, in.Name)
			if d, _, missing := s.Inventory.Device(in.Name); err == nil && missing == nil && d.Site.Name != in.Body.Site {
				err = s.atSite(ctx, operateDevices, in.Body.Site)
			}
			if err == nil {
				err = s.Inventory.Describe(ctx, in.Name, in.Body.Site, particularsIn(in.Body.Particulars))
			}
			s.audit(ctx, person(ctx).Name, "describe-device", in.Name, outcome(err))
			return nil, err
		})
	for _, a := range []struct {
		method, path, id, summary string
		do                        func(ctx context.Context, name, by string) error
	}{
		{http.MethodPost, "/devices/{name}/retire", "retire-device", "Take a device out of service; what is kept of it stays",
			func(ctx context.Context, name, by string) error { return s.Inventory.Retire(ctx, name, by) }},
		{http.MethodPost, "/devices/{name}/reinstate", "reinstate-device", "Take a retired device into service again",
			func(ctx context.Context, name, by string) error { return s.Inventory.Reinstate(ctx, name, by) }},
		{http.MethodDelete, "/devices/{name}", "forget-device", "Forget a retired device",
			func(ctx context.Context, name, by string) error { return s.Inventory.Forget(ctx, name, by) }},
	} {
		register(s, api, may(rights.Operate, rights.Devices), a.method, a.path, a.id, a.summary,
			func(ctx context.Context, in *NamePath) (*struct{}, error) {
				return nil, s.act(ctx, a.id, in.Name, s.onDevice(ctx, operateDevices, in.Name), func(by string) error { return a.do(ctx, in.Name, by) })
			})
	}
	type document struct {
		ContentType string `header:"Content-Type"`
		Body        []byte
	}
	type configurationInput struct {
		NamePath
		Defaults bool `query:"defaults" doc:"Ask the device now, for everything with its defaults written out (RFC 6243)"`
	}
	register(s, api, may(rights.See, rights.Configuration), http.MethodGet, "/devices/{name}/configuration", "get-configuration", "What the device runs, in its own form, as last read",
		func(ctx context.Context, in *configurationInput) (*document, error) {
			if err := s.onDevice(ctx, may(rights.See, rights.Configuration), in.Name); err != nil {
				return nil, err
			}
			if in.Defaults {
				whole, err := s.Fleet.ReadWhole(ctx, in.Name)
				return &document{ContentType: "application/xml", Body: whole}, err
			}
			snap, err := s.Store.LastSnapshot(ctx, in.Name)
			return &document{ContentType: "application/xml", Body: snap.Document}, missing(err, "the configuration of "+in.Name)
		})
	register(s, api, may(rights.Operate, rights.Devices), http.MethodPost, "/host-keys", "probe-host-key", "Ask an address for its SSH host key",
		func(ctx context.Context, in *body[v1.Probe]) (*body[v1.ProbeResult], error) {
			key, err := s.Inventory.HostKey(ctx, in.Body.Address)
			if err != nil {
				return nil, deviceError(in.Body.Address, err)
			}
			address, _ := inventory.Address(in.Body.Address)
			return &body[v1.ProbeResult]{v1.ProbeResult{Address: address, HostKey: key}}, nil
		})
	register(s, api, may(rights.Operate, rights.Devices), http.MethodPost, "/devices", "enrol-device", "Enrol a device whose host key was accepted",
		func(ctx context.Context, in *body[v1.Enrolment]) (*body[v1.DeviceDetail], error) {
			a := in.Body
			if err := s.atSite(ctx, operateDevices, a.Site); err != nil {
				return nil, err
			}
			d, err := s.Inventory.Enrol(ctx, inventory.Enrolment{Address: a.Address, User: a.User, Password: a.Password,
				HostKey: a.HostKey, Site: a.Site, Name: a.Name, By: person(ctx).Name})
			s.audit(ctx, person(ctx).Name, "enrol", cmp.Or(d.Name, a.Address), outcome(err))
			if err != nil {
				return nil, deviceError(a.Address, err)
			}
			return s.device(ctx, d.Name)
		})
	type pinInput struct {
		NamePath
		Body v1.Pin
	}
	register(s, api, may(rights.Operate, rights.Devices), http.MethodPut, "/devices/{name}/host-key", "pin-host-key", "Accept another host key of a device",
		func(ctx context.Context, in *pinInput) (*struct{}, error) {
			err := s.onDevice(ctx, operateDevices, in.Name)
			if err == nil {
				err = s.Inventory.Pin(ctx, in.Name, in.Body.HostKey, person(ctx).Name)
			}
			s.audit(ctx, person(ctx).Name, "pin-host-key", in.Name, in.Body.HostKey+", "+outcome(err))
			return nil, deviceError(in.Name, err)
		})
	type loginInput struct {
		NamePath
		Body v1.DeviceLogin
	}
	register(s, api, operateDevices, http.MethodPut, "/devices/{name}/login", "set-device-login", "Say as whom and with which password the service logs in to a device; it is tried before it is kept",
		func(ctx context.Context, in *loginInput) (*struct{}, error) {
			err := s.act(ctx, "set-device-login", in.Name, s.onDevice(ctx, operateDevices, in.Name), func(by string) error {
				return s.Inventory.SetLogin(ctx, in.Name, in.Body.User, in.Body.Password, by)
			})
			return nil, deviceError(in.Name, err)
		})
	register(s, api, may(rights.See, rights.Ports), http.MethodGet, "/ports", "list-ports", "The ports",
		func(ctx context.Context, in *ListQuery) (*body[v1.List[v1.Port]], error) {
			q, err := s.query(ctx, in, selector.Port)
			if err != nil {
				return nil, err
			}
			return page(q, s.Inventory.Ports(q), s.portsOut(ctx)), nil
		})
}

// MACPath is a hardware address in an address.
type MACPath struct {
	MAC string `path:"mac" pattern:"^[0-9a-fA-F]{2}(:[0-9a-fA-F]{2}){5}$"`
}

func (s *server) clientRoutes(api huma.API) {
	register(s, api, may(rights.See, rights.Clients), http.MethodGet, "/clients", "list-clients", "The end stations, wired and wireless, that are or were there",
		func(ctx context.Context, in *ListQuery) (*body[v1.List[v1.NetworkClient]], error) {
			q, err := s.query(ctx, in, selector.Client)
			if err != nil {
				return nil, err
			}
			return page(q, s.Inventory.Clients(q), clientOut), nil
		})
	type nameInput struct {
		MACPath
		Body v1.NameRequest
	}
	register(s, api, may(rights.Operate, rights.Clients), http.MethodPut, "/clients/{mac}/name", "name-client", "Give a client a name",
		func(ctx context.Context, in *nameInput) (*struct{}, error) {
			return nil, s.act(ctx, "name-client", in.MAC+" "+in.Body.Name, s.onClient(ctx, may(rights.Operate, rights.Clients), in.MAC), func(string) error {
				return s.Inventory.NameClient(ctx, in.MAC, in.Body.Name)
			})
		})
}

// device answers with a device as it is for who makes the request.
func (s *server) device(ctx context.Context, name string) (*body[v1.DeviceDetail], error) {
	if err := s.onDevice(ctx, may(rights.See, rights.Devices), name); err != nil {
		return nil, err
	}
	d, ports, err := s.Inventory.Device(name)
	if err != nil {
		return nil, err
	}
	where := selector.Both(catalog.OnDevice(name), within(ctx, rights.See, rights.Ports))
	seen := map[network.PortRef]bool{}
	for _, p := range s.Inventory.Ports(catalog.Query{Where: where, Limit: len(ports), Now: time.Now()}).Rows {
		seen[p.Ref] = true
	}
	ports = slices.DeleteFunc(slices.Clone(ports), func(p *catalog.Port) bool { return !seen[p.Ref] })
	out := deviceDetail(d, ports, s.devicesOut(ctx), s.portsOut(ctx))
	out.Can = []string{}
	for _, k := range s.Operations.Offers(name) {
		out.Can = append(out.Can, string(k))
	}
	if s.onDevice(ctx, may(rights.See, rights.Configuration), name) != nil { // what is set up besides the ports
		out.Objects = slices.DeleteFunc(out.Objects, func(o v1.Object) bool { return !setting.AboutKind(setting.Kind(o.Kind)).OfPorts })
	}
	if out.Inside != nil && !s.Inventory.HoldsDevice(name, within(ctx, rights.See, rights.Clients)) {
		bare := *out.Inside
		bare.MACs, bare.Stations = nil, nil
		out.Resolved = nil
		out.Inside = &bare
	}
	return &body[v1.DeviceDetail]{out}, nil
}

var operateDevices = may(rights.Operate, rights.Devices)

func (s *server) siteRoutes(api huma.API) {
	register(s, api, may(rights.See, rights.Sites), http.MethodGet, "/sites", "list-sites", "The sites, with the health of their devices",
		func(ctx context.Context, in *ListQuery) (*body[v1.List[v1.Site]], error) {
			q, err := s.query(ctx, in, selector.Site)
			if err != nil {
				return nil, err
			}
			return page(q, s.Inventory.Sites(q), siteOut), nil
		})
	type siteInput struct {
		NamePath
		Body v1.SiteRequest
	}
	register(s, api, may(rights.Administer, rights.Sites), http.MethodPut, "/sites/{name}", "put-site", "Make or change a site",
		func(ctx context.Context, in *siteInput) (*struct{}, error) {
			return nil, s.act(ctx, "put-site", in.Name, s.onSite(ctx, administerSites, in.Name), func(string) error {
				return s.Inventory.PutSite(ctx, siteIn(in.Name, in.Body))
			})
		})
	register(s, api, may(rights.Administer, rights.Sites), http.MethodDelete, "/sites/{name}", "remove-site", "Remove a site that holds no devices",
		func(ctx context.Context, in *NamePath) (*struct{}, error) {
			return nil, s.act(ctx, "remove-site", in.Name, s.onSite(ctx, administerSites, in.Name), func(string) error {
				return missing(s.Inventory.RemoveSite(ctx, in.Name), "site "+in.Name)
			})
		})
	type mergeInput struct {
		NamePath
		Body v1.MergeRequest
	}
	register(s, api, may(rights.Administer, rights.Sites), http.MethodPost, "/sites/{name}/merge", "merge-site", "Move all devices of a site to another, and remove the one",
		func(ctx context.Context, in *mergeInput) (*struct{}, error) {
			err := s.onSite(ctx, administerSites, in.Name)
			if err == nil {
				err = s.onSite(ctx, administerSites, in.Body.Into)
			}
			if err == nil {
				err = s.Inventory.MergeSites(ctx, in.Name, in.Body.Into)
			}
			s.audit(ctx, person(ctx).Name, "merge-site", in.Name+" into "+in.Body.Into, outcome(err))
			return nil, err
		})
}

var administerSites = may(rights.Administer, rights.Sites)

// missing says what is missing.
func missing(err error, what string) error {
	if errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("%s: %w", what, store.ErrNotFound)
	}
	return err
}

// deviceError marks what went wrong between us and an address as such, unless it is of a kind that has its own problem.
func deviceError(address string, err error) error {
	var key *driver.KeyError
	var own huma.StatusError
	if err == nil || errors.As(err, &own) || errors.Is(err, store.ErrNotFound) || errors.As(err, &key) || errors.Is(err, driver.ErrCredentials) || errors.Is(err, inventory.ErrInvalid) ||
		errors.Is(err, inventory.ErrNotAccepted) || errors.Is(err, store.ErrExists) {
		return err
	}
	if errors.Is(err, context.DeadlineExceeded) {
		return fmt.Errorf("%w: %s does not answer; check the address and the port, and whether the device lets itself be managed there", errDevice, address)
	}
	return fmt.Errorf("%w: %w", errDevice, err)
}
