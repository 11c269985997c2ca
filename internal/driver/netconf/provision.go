package netconf

import (
	"context"
	"fmt"
	"net"
	"slices"
	"strings"

	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// nsServer is ietf-netconf-server, by which a device is told where to call.
const nsServer = "urn:ietf:params:xml:ns:yang:ietf-netconf-server"

// Provision implements driver.Provisioner: a document to be merged into what a new device runs, or to take its place.
func (c Connector) Provision(ctx context.Context, p driver.Provision) ([]byte, error) {
	leaf, node := xmlnode.Leaf, xmlnode.New
	host, port, err := net.SplitHostPort(p.CallHome)
	if err != nil {
		return nil, fmt.Errorf("where devices are to call: %w", err)
	}
	key, err := ssh.NewPublicKey(p.Key)
	if err != nil {
		return nil, err
	}
	user := node(nsSystem, "user", leaf(nsSystem, "username", driver.ProvisionedUser), node(nsSystem, "config", leaf(nsSystem, "username", driver.ProvisionedUser),
		leaf(nsSystem, "ssh-key", strings.TrimSpace(string(ssh.MarshalAuthorizedKey(key))))))
	out := node(netconf.BaseNS, "config")
	if p.Document != nil {
		like, err := xmlnode.Parse(ctx, p.Document)
		if err != nil {
			return nil, fmt.Errorf("the configuration of the device like it: %w", err)
		}
		out.Add(like.Children...)
		out.Remove(out.Child("netconf-server"))
		if !p.Whole {
			forget(out)
		}
	}
	overlay(out, node(nsSystem, "system", node(nsSystem, "config", leaf(nsSystem, "hostname", p.Hostname)),
		node(nsSystem, "aaa", node(nsSystem, "authentication", node(nsSystem, "users", user)))))
	overlay(out, node(nsServer, "netconf-server", node(nsServer, "call-home", node(nsServer, "netconf-client", leaf(nsServer, "name", "every-post"),
		node(nsServer, "endpoints", node(nsServer, "endpoint", leaf(nsServer, "name", "first"), node(nsServer, "ssh", node(nsServer, "tcp-client-parameters",
			leaf(nsServer, "remote-address", host), leaf(nsServer, "remote-port", port)))))))))
	for _, n := range writeConfig(p.Before, p.After) {
		overlay(out, n)
	}
	if err := secretsOf(c.Secrets).reveal(out); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// forget takes out of a device's configuration what is that device's alone: who may log in, the addresses by which it is managed,
// and what its ports are for.
func forget(config *xmlnode.Node) {
	config.Child("system").Remove(config.Find("system/aaa"))
	for _, i := range config.Child("interfaces").All("interface") {
		if routed := i.Child("routed-vlan"); routed != nil {
			routed.Remove(routed.Child("ipv4"))
			routed.Add(xmlnode.New(nsIP, "ipv4", xmlnode.New(nsIP, "config", xmlnode.Leaf(nsIP, "dhcp-client", "true"))))
		} else if c := i.Child("config"); c != nil {
			c.Remove(c.Child("description"))
		}
	}
}

// overlay lays n over the child of into of the same name, or adds it. Of entries of lists those are the same whose names
// are; what is marked to be replaced or removed is.
func overlay(into, n *xmlnode.Node) {
	operation := n.Attr(netconf.BaseNS, "operation")
	for _, c := range into.Children {
		if c.Name != n.Name || c.Space != n.Space || keyOf(c) != keyOf(n) {
			continue
		}
		if operation != "" || len(n.Children) == 0 {
			into.Remove(c)
			break
		}
		for _, inner := range n.Children {
			overlay(c, inner)
		}
		return
	}
	if operation != netconf.EditRemove {
		into.Add(plain(n))
	}
}

// plain takes the marks of an edit off what becomes a part of a document.
func plain(n *xmlnode.Node) *xmlnode.Node {
	n.Attrs = slices.DeleteFunc(n.Attrs, func(a xmlnode.Attr) bool { return a.Space == netconf.BaseNS && a.Name == "operation" })
	n.Children = slices.DeleteFunc(n.Children, func(c *xmlnode.Node) bool { return c.Attr(netconf.BaseNS, "operation") == netconf.EditRemove })
	for _, c := range n.Children {
		plain(c)
	}
	return n
}

// keyOf is the name of an entry of a list.
func keyOf(n *xmlnode.Node) string {
	for _, key := range []string{"name", "username", "vlan-id", "number", "id"} {
		if c := n.Child(key); c != nil && n.Name != "config" {
			return c.Text
		}
	}
	return ""
}

const nsIP = "http://openconfig.net/yang/interfaces/ip"
