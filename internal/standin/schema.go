package standin

import (
	"cmp"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"strconv"
	"strings"
	"time"

	"golang.org/x/crypto/ssh"
)

// Namespaces of the models that stand-ins know. Most are OpenConfig's.
var namespaces = map[string]string{
	"oc-if":    "http://openconfig.net/yang/interfaces",
	"oc-eth":   "http://openconfig.net/yang/interfaces/ethernet",
	"oc-ip":    "http://openconfig.net/yang/interfaces/ip",
	"oc-vlan":  "http://openconfig.net/yang/vlan",
	"oc-poe":   "http://openconfig.net/yang/poe",
	"oc-netin": "http://openconfig.net/yang/network-instance",
	"oc-lldp":  "http://openconfig.net/yang/lldp",
	"oc-sys":   "http://openconfig.net/yang/system",
	"oc-pf":    "http://openconfig.net/yang/platform",
	"oc-lag":   "http://openconfig.net/yang/interfaces/aggregate",
	"oc-lacp":  "http://openconfig.net/yang/lacp",
	"oc-stp":   "http://openconfig.net/yang/spanning-tree",
	"oc-ap":    "http://openconfig.net/yang/wifi/access-points",
	"oc-xcvr":  "http://openconfig.net/yang/platform/transceiver",
	"oc-fan":   "http://openconfig.net/yang/platform/fan",
	"oc-psu":   "http://openconfig.net/yang/platform/psu",
	"oc-cpu":   "http://openconfig.net/yang/platform/cpu",
	"ncs":      "urn:ietf:params:xml:ns:yang:ietf-netconf-server",
	"ep-dev":   "urn:everypost:yang:ep-device",
	"ep-sw":    "urn:everypost:yang:ep-switching",
	"ep-op":    "urn:everypost:yang:ep-operations",
	"ep-st":    "urn:everypost:yang:ep-storage",
	"ep-mg":    "urn:everypost:yang:ep-management",
	"ep-fw":    "urn:everypost:yang:ep-firewall",
	"ep-rt":    "urn:everypost:yang:ep-routing",
	"ep-wl":    "urn:everypost:yang:ep-wireless",
	"oc-acl":   "http://openconfig.net/yang/acl",
	"ep-wan":   "urn:everypost:yang:ep-wan",
	"ep-radio": "urn:everypost:yang:ep-radio-link",
}

// schemaLines says what can be configured: a path of prefix:name steps (the prefix holds until the next one), [key] after
// a list, then the type of the leaf and its default.
const schemaLines = `
oc-sys:system/config/hostname string
oc-sys:system/config/login-banner string
oc-sys:system/aaa/authentication/users/user[username]/username string
oc-sys:system/aaa/authentication/users/user[username]/config/username string
oc-sys:system/aaa/authentication/users/user[username]/config/ssh-key key
oc-sys:system/aaa/authentication/users/user[username]/config/role string
oc-sys:system/aaa/authentication/users/user[username]/config/password-hashed string
ncs:netconf-server/call-home/netconf-client[name]/name string
ncs:netconf-server/call-home/netconf-client[name]/endpoints/endpoint[name]/name string
ncs:netconf-server/call-home/netconf-client[name]/endpoints/endpoint[name]/ssh/tcp-client-parameters/remote-address string
ncs:netconf-server/call-home/netconf-client[name]/endpoints/endpoint[name]/ssh/tcp-client-parameters/remote-port uint16
ep-dev:services/service[name]/name string
ep-dev:services/service[name]/enabled boolean =true
ep-dev:about/contact string
ep-dev:stations/blocked[station]/station station
ep-dev:stations/blocked[station]/purpose string
ep-dev:stations/blocked[station]/until date
ep-dev:about/location string
ep-dev:management/allowed/from* prefix
oc-sys:system/clock/config/timezone-name string
oc-sys:system/ntp/config/enabled boolean =false
oc-sys:system/ntp/servers/server[address]/address address
oc-sys:system/ntp/servers/server[address]/config/address address
oc-sys:system/dns/servers/server[address]/address address
oc-sys:system/dns/servers/server[address]/config/address address
oc-sys:system/logging/remote-servers/remote-server[host]/host address
oc-sys:system/logging/remote-servers/remote-server[host]/config/host address
oc-lldp:lldp/config/enabled boolean =true
oc-if:interfaces/interface[name]/name string
oc-if:interfaces/interface[name]/config/name string
oc-if:interfaces/interface[name]/config/type identity
oc-if:interfaces/interface[name]/config/description string
oc-if:interfaces/interface[name]/config/enabled boolean =true
oc-if:interfaces/interface[name]/config/mtu uint16
oc-if:interfaces/interface[name]/oc-eth:ethernet/config/auto-negotiate boolean =true
oc-if:interfaces/interface[name]/oc-eth:ethernet/config/duplex-mode duplex
oc-if:interfaces/interface[name]/oc-eth:ethernet/config/port-speed identity
oc-if:interfaces/interface[name]/oc-eth:ethernet/config/enable-flow-control boolean =false
oc-if:interfaces/interface[name]/oc-eth:ethernet/ep-sw:connectors/count uint16
oc-if:interfaces/interface[name]/oc-eth:ethernet/oc-poe:poe/config/enabled boolean =true
oc-if:interfaces/interface[name]/oc-eth:ethernet/oc-vlan:switched-vlan/config/interface-mode mode
oc-if:interfaces/interface[name]/oc-eth:ethernet/oc-vlan:switched-vlan/config/access-vlan vlan
oc-if:interfaces/interface[name]/oc-eth:ethernet/oc-vlan:switched-vlan/config/native-vlan vlan
oc-if:interfaces/interface[name]/oc-eth:ethernet/oc-vlan:switched-vlan/config/trunk-vlans* vlan-or-range
oc-if:interfaces/interface[name]/oc-eth:ethernet/config/oc-lag:aggregate-id string
oc-if:interfaces/interface[name]/oc-lag:aggregation/config/lag-type lag-type
oc-if:interfaces/interface[name]/oc-lag:aggregation/config/min-links uint16
oc-if:interfaces/interface[name]/oc-lag:aggregation/oc-vlan:switched-vlan/config/interface-mode mode
oc-if:interfaces/interface[name]/oc-lag:aggregation/oc-vlan:switched-vlan/config/access-vlan vlan
oc-if:interfaces/interface[name]/oc-lag:aggregation/oc-vlan:switched-vlan/config/native-vlan vlan
oc-if:interfaces/interface[name]/oc-lag:aggregation/oc-vlan:switched-vlan/config/trunk-vlans* vlan-or-range
oc-if:interfaces/interface[name]/oc-vlan:routed-vlan/config/vlan vlan
oc-if:interfaces/interface[name]/oc-vlan:routed-vlan/oc-ip:ipv4/config/dhcp-client boolean
oc-if:interfaces/interface[name]/oc-vlan:routed-vlan/oc-ip:ipv4/addresses/address[ip]/ip string
oc-if:interfaces/interface[name]/oc-vlan:routed-vlan/oc-ip:ipv4/addresses/address[ip]/config/ip string
oc-if:interfaces/interface[name]/oc-vlan:routed-vlan/oc-ip:ipv4/addresses/address[ip]/config/prefix-length uint16
oc-lacp:lacp/interfaces/interface[name]/name string
oc-lacp:lacp/interfaces/interface[name]/config/name string
oc-lacp:lacp/interfaces/interface[name]/config/interval lacp-interval =SLOW
oc-lacp:lacp/interfaces/interface[name]/config/lacp-mode lacp-mode =ACTIVE
oc-stp:stp/global/config/enabled-protocol* identity
oc-stp:stp/rstp/config/bridge-priority bridge-priority
oc-stp:stp/rstp/config/hello-time 1..10
oc-stp:stp/rstp/config/max-age 6..40
oc-stp:stp/rstp/config/forwarding-delay 4..30
oc-stp:stp/mstp/config/name string
oc-stp:stp/mstp/config/revision uint16
oc-stp:stp/mstp/mst-instances/mst-instance[mst-id]/mst-id 1..4094
oc-stp:stp/mstp/mst-instances/mst-instance[mst-id]/config/mst-id 1..4094
oc-stp:stp/mstp/mst-instances/mst-instance[mst-id]/config/vlan* vlan-or-range
oc-stp:stp/mstp/mst-instances/mst-instance[mst-id]/config/bridge-priority bridge-priority
oc-stp:stp/interfaces/interface[name]/name string
oc-stp:stp/interfaces/interface[name]/config/name string
oc-stp:stp/interfaces/interface[name]/config/edge-port identity
oc-stp:stp/interfaces/interface[name]/config/guard stp-guard
oc-stp:stp/interfaces/interface[name]/config/bpdu-guard boolean =false
oc-acl:acl/acl-sets/acl-set[name,type]/name string
oc-acl:acl/acl-sets/acl-set[name,type]/type identity
oc-acl:acl/acl-sets/acl-set[name,type]/config/name string
oc-acl:acl/acl-sets/acl-set[name,type]/config/type identity
oc-acl:acl/acl-sets/acl-set[name,type]/acl-entries/acl-entry[sequence-id]/sequence-id 1..65535
oc-acl:acl/acl-sets/acl-set[name,type]/acl-entries/acl-entry[sequence-id]/config/sequence-id 1..65535
oc-acl:acl/acl-sets/acl-set[name,type]/acl-entries/acl-entry[sequence-id]/ipv4/config/source-address prefix
oc-acl:acl/acl-sets/acl-set[name,type]/acl-entries/acl-entry[sequence-id]/ipv4/config/destination-address prefix
oc-acl:acl/acl-sets/acl-set[name,type]/acl-entries/acl-entry[sequence-id]/ipv4/config/protocol identity
oc-acl:acl/acl-sets/acl-set[name,type]/acl-entries/acl-entry[sequence-id]/transport/config/source-port port-range
oc-acl:acl/acl-sets/acl-set[name,type]/acl-entries/acl-entry[sequence-id]/transport/config/destination-port port-range
oc-acl:acl/acl-sets/acl-set[name,type]/acl-entries/acl-entry[sequence-id]/actions/config/forwarding-action identity
oc-acl:acl/interfaces/interface[id]/id string
oc-acl:acl/interfaces/interface[id]/config/id string
oc-acl:acl/interfaces/interface[id]/ingress-acl-sets/ingress-acl-set[set-name,type]/set-name string
oc-acl:acl/interfaces/interface[id]/ingress-acl-sets/ingress-acl-set[set-name,type]/type identity
oc-acl:acl/interfaces/interface[id]/ingress-acl-sets/ingress-acl-set[set-name,type]/config/set-name string
oc-acl:acl/interfaces/interface[id]/ingress-acl-sets/ingress-acl-set[set-name,type]/config/type identity
ep-sw:switching/port[name]/name string
ep-sw:switching/port[name]/connector connector =auto
ep-sw:switching/port[name]/energy-saving boolean =false
ep-sw:switching/port[name]/voice-vlan vlan
ep-sw:switching/port[name]/service-vlan vlan
ep-sw:switching/port[name]/service-trunk/vlan* vlan-or-range
ep-sw:switching/port[name]/power/class-limit 1..8
ep-sw:switching/port[name]/power/priority power-priority =low
ep-sw:switching/port[name]/power/through-reboot boolean =false
ep-sw:switching/port[name]/schedule string
ep-sw:switching/port[name]/follow/port* string
ep-sw:switching/port[name]/follow-delay 0..300 =3
ep-sw:switching/port[name]/flap-guard/changes 2..100
ep-sw:switching/port[name]/flap-guard/window 1..3600 =10
ep-sw:switching/port[name]/flap-guard/hold 1..86400 =300
ep-sw:switching/port[name]/access-control access-control =off
ep-sw:switching/port[name]/guest-vlan vlan
ep-sw:switching/port[name]/dscp dscp
ep-sw:switching/port[name]/isolation 1..64
ep-sw:switching/port[name]/storm-limits/broadcast 1..1000000
ep-sw:switching/port[name]/storm-limits/multicast 1..1000000
ep-sw:switching/port[name]/storm-limits/unknown-unicast 1..1000000
ep-sw:switching/port[name]/rate-limits/in 64..100000000
ep-sw:switching/port[name]/rate-limits/out 64..100000000
ep-sw:switching/port[name]/dhcp-trust boolean =false
ep-sw:switching/port[name]/loop-protection boolean =false
ep-sw:switching/vlan[id]/id vlan
ep-sw:switching/vlan[id]/access-list string
ep-sw:switching/vlan[id]/igmp-snooping boolean =false
ep-sw:switching/vlan[id]/igmp-querier boolean =false
ep-sw:switching/vlan[id]/dhcp-snooping boolean =false
ep-sw:switching/schedule[name]/name string
ep-sw:switching/schedule[name]/hours hours
ep-sw:switching/mirror[name]/name string
ep-sw:switching/mirror[name]/sources/port* string
ep-sw:switching/mirror[name]/direction direction =both
ep-sw:switching/mirror[name]/to/port* string
ep-sw:switching/authentication/radius-server* address
ep-sw:switching/authentication/secret string
ep-sw:switching/controller/address* address
ep-sw:switching/class[number]/number 0..7
ep-sw:switching/class[number]/purpose string
ep-sw:switching/class[number]/code-points/dscp* 0..63
ep-sw:switching/class[number]/scheduling scheduling =weighted
ep-sw:switching/class[number]/share 1..100 =1
ep-sw:switching/class[number]/bandwidth 1..100
ep-sw:switching/stack/member[number]/number 1..16
ep-sw:switching/stack/member[number]/serial string
ep-sw:switching/stack/member[number]/priority 1..255 =128
ep-sw:switching/pair[name]/name string
ep-sw:switching/pair[name]/peer-bundle string
ep-sw:switching/pair[name]/keepalive/address* address
ep-sw:switching/pair[name]/priority uint16 =32768
ep-sw:switching/ring[name]/name string
ep-sw:switching/ring[name]/purpose string
ep-sw:switching/ring[name]/role ring-role =client
ep-sw:switching/ring[name]/ports/port* string
ep-sw:switching/ring[name]/vlan vlan
ep-sw:switching/ring[name]/recovery recovery-profile =200
ep-st:storage/fabric[name]/name string
ep-st:storage/fabric[name]/purpose string
ep-st:storage/fabric[name]/ports/port* string
ep-st:storage/zone[name]/name string
ep-st:storage/zone[name]/purpose string
ep-st:storage/zone[name]/fabric string
ep-st:storage/zone[name]/active boolean =true
ep-st:storage/zone[name]/ports/port* string
ep-fw:firewall/zone[name]/name string
ep-fw:firewall/zone[name]/purpose string
ep-fw:firewall/zone[name]/flood-limits/tcp 1..1000000
ep-fw:firewall/zone[name]/flood-limits/udp 1..1000000
ep-fw:firewall/zone[name]/flood-limits/icmp 1..1000000
ep-fw:firewall/zone[name]/vlans/vlan* vlan-or-range
ep-fw:firewall/zone[name]/interfaces/interface* string
ep-fw:firewall/address[name]/name string
ep-fw:firewall/address[name]/purpose string
ep-fw:firewall/address[name]/values/value* string
ep-fw:firewall/address[name]/members/member* string
ep-fw:firewall/service[name]/name string
ep-fw:firewall/service[name]/purpose string
ep-fw:firewall/service[name]/values/value* flow
ep-fw:firewall/service[name]/members/member* string
ep-fw:firewall/web-category[name]/name string
ep-fw:firewall/web-category[name]/purpose string
ep-fw:firewall/web-category[name]/names/name* string
ep-fw:firewall/inspection[name]/name string
ep-fw:firewall/inspection[name]/purpose string
ep-fw:firewall/inspection[name]/web-blocked/category* string
ep-fw:firewall/inspection[name]/web-logged/category* string
ep-fw:firewall/inspection[name]/application-blocked/application* string
ep-fw:firewall/inspection[name]/application-limits/limit* application-limit
ep-fw:firewall/inspection[name]/web-overridable/category* string
ep-fw:firewall/inspection[name]/mail-senders/sender* string
ep-fw:firewall/inspection[name]/mail-lists/list* string
ep-fw:firewall/inspection[name]/mail-words/word* string
ep-fw:firewall/inspection[name]/file-limit 1..10000
ep-fw:firewall/inspection[name]/file-exceptions/address* string
ep-fw:firewall/inspection[name]/intrusion intrusion =off
ep-fw:firewall/policy[name]/name policy-name
ep-fw:firewall/policy[name]/rule[number]/number 1..65535
ep-fw:firewall/policy[name]/rule[number]/action policy-action
ep-fw:firewall/policy[name]/rule[number]/from* string
ep-fw:firewall/policy[name]/rule[number]/to* string
ep-fw:firewall/policy[name]/rule[number]/source* string
ep-fw:firewall/policy[name]/rule[number]/destination* string
ep-fw:firewall/policy[name]/rule[number]/service* string
ep-fw:firewall/policy[name]/rule[number]/inspect string
ep-fw:firewall/policy[name]/rule[number]/during string
ep-fw:firewall/policy[name]/rule[number]/until date
ep-fw:firewall/policy[name]/rule[number]/log boolean =false
ep-fw:firewall/policy[name]/rule[number]/note string
ep-fw:firewall/policy[name]/translation[number]/number 1..65535
ep-fw:firewall/policy[name]/translation[number]/kind translation-kind
ep-fw:firewall/policy[name]/translation[number]/from* string
ep-fw:firewall/policy[name]/translation[number]/to* string
ep-fw:firewall/policy[name]/translation[number]/source* string
ep-fw:firewall/policy[name]/translation[number]/destination* string
ep-fw:firewall/policy[name]/translation[number]/service* string
ep-fw:firewall/policy[name]/translation[number]/into address
ep-fw:firewall/policy[name]/translation[number]/port 1..65535
ep-fw:firewall/policy[name]/translation[number]/note string
ep-rt:routing/gateway[vlan]/vlan vlan
ep-rt:routing/gateway[vlan]/purpose string
ep-rt:routing/gateway[vlan]/address gateway-address
ep-rt:routing/gateway[vlan]/dhcp-server/enabled boolean =false
ep-rt:routing/gateway[vlan]/dhcp-server/ranges/range* address-range
ep-rt:routing/gateway[vlan]/dhcp-server/lease 5..43200 =1440
ep-rt:routing/gateway[vlan]/dhcp-server/name-servers/name-server* address
ep-rt:routing/gateway[vlan]/reservation[number]/number 1..65535
ep-rt:routing/gateway[vlan]/reservation[number]/mac string
ep-rt:routing/gateway[vlan]/reservation[number]/address address
ep-rt:routing/gateway[vlan]/reservation[number]/note string
ep-rt:routing/static-route[name]/name string
ep-rt:routing/static-route[name]/purpose string
ep-rt:routing/static-route[name]/prefix prefix
ep-rt:routing/static-route[name]/via address
ep-rt:routing/static-route[name]/distance 1..255 =1
ep-wl:wireless/country country
ep-wl:wireless/radio[name]/name string
ep-wl:wireless/radio[name]/band band
ep-wl:wireless/radio[name]/channel 1..233
ep-wl:wireless/radio[name]/channel-width channel-width
ep-wl:wireless/radio[name]/transmit-power 1..36
ep-wl:wireless/network[name]/name string
ep-wl:wireless/network[name]/purpose string
ep-wl:wireless/network[name]/ssid ssid
ep-wl:wireless/network[name]/enabled boolean =true
ep-wl:wireless/network[name]/hidden boolean =false
ep-wl:wireless/network[name]/bands/band* band
ep-wl:wireless/network[name]/hours hours
ep-wl:wireless/network[name]/security wireless-security =wpa2-wpa3-personal
ep-wl:wireless/network[name]/passphrase passphrase
ep-wl:wireless/network[name]/radius/servers/server* address
ep-wl:wireless/network[name]/radius/secret string
ep-wl:wireless/network[name]/vlan vlan
ep-wl:wireless/network[name]/isolation boolean =false
ep-wl:wireless/network[name]/station-network/address gateway-address
ep-wl:wireless/network[name]/station-network/lease 5..43200 =1440
ep-wl:wireless/network[name]/station-network/name-servers/name-server* address
ep-wl:wireless/network[name]/station-rate 64..100000000
ep-wl:wireless/network[name]/portal string
ep-wl:wireless/portal[name]/name string
ep-wl:wireless/portal[name]/purpose string
ep-wl:wireless/portal[name]/address uri
ep-wl:wireless/portal[name]/key string
ep-wl:wireless/limited[station]/station station
ep-wl:wireless/limited[station]/purpose string
ep-wl:wireless/limited[station]/rate 64..100000000
ep-wl:wireless/limited[station]/until date
ep-wl:wireless/passphrase[name]/name string
ep-wl:wireless/passphrase[name]/purpose string
ep-wl:wireless/passphrase[name]/network string
ep-wl:wireless/passphrase[name]/passphrase passphrase
ep-wl:wireless/passphrase[name]/vlan vlan
ep-wl:wireless/passphrase[name]/until date
ep-rt:routing/segment[name]/name string
ep-rt:routing/segment[name]/purpose string
ep-rt:routing/segment[name]/number 1..16777215
ep-rt:routing/segment[name]/leaks/from* string
ep-rt:routing/segment[name]/leaks/prefix* prefix
ep-rt:routing/gateway[vlan]/segment string
ep-rt:routing/gateway[vlan]/ospf/area string
ep-rt:routing/gateway[vlan]/ospf/cost 1..65535 =10
ep-rt:routing/gateway[vlan]/ospf/secret router-secret
ep-rt:routing/gateway[vlan]/ospf/passive boolean =false
ep-rt:routing/bgp-peer[name]/name string
ep-rt:routing/bgp-peer[name]/purpose string
ep-rt:routing/bgp-peer[name]/address address
ep-rt:routing/bgp-peer[name]/as 1..4294967295
ep-rt:routing/bgp-peer[name]/secret router-secret
ep-rt:routing/bgp-peer[name]/hold-time 3..3600 =90
ep-rt:routing/bgp-peer[name]/announces/prefix* prefix
ep-rt:routing/bgp-peer[name]/accepts/prefix* prefix
ep-radio:radio-link/carrier-termination[name]/name string
ep-radio:radio-link/carrier-termination[name]/tx-enabled boolean =true
ep-radio:radio-link/carrier-termination[name]/tx-frequency 1..4294967295
ep-radio:radio-link/carrier-termination[name]/rx-frequency 1..4294967295
ep-radio:radio-link/carrier-termination[name]/channel-separation 1..4294967295
ep-radio:radio-link/carrier-termination[name]/polarization polarization =vertical
ep-radio:radio-link/carrier-termination[name]/power-mode power-mode =rtpc
ep-radio:radio-link/carrier-termination[name]/maximum-nominal-power level
ep-radio:radio-link/carrier-termination[name]/atpc-lower-threshold level
ep-radio:radio-link/carrier-termination[name]/atpc-upper-threshold level
ep-radio:radio-link/carrier-termination[name]/selected-min-acm modulation =qpsk
ep-radio:radio-link/carrier-termination[name]/selected-max-acm modulation =qam-1024
ep-wan:steering/choice[name]/name policy-name
ep-wan:steering/choice[name]/way[number]/number 1..65535
ep-wan:steering/choice[name]/way[number]/application* string
ep-wan:steering/choice[name]/way[number]/service* string
ep-wan:steering/choice[name]/way[number]/dscp* 0..63
ep-wan:steering/choice[name]/way[number]/to* prefix
ep-wan:steering/choice[name]/way[number]/over* string
ep-wan:steering/choice[name]/way[number]/delay 1..5000
ep-wan:steering/choice[name]/way[number]/jitter 1..1000
ep-wan:steering/choice[name]/way[number]/loss percent
ep-wan:steering/choice[name]/way[number]/within 1..600 =5
ep-wan:steering/choice[name]/way[number]/back 1..3600 =60
ep-wan:steering/choice[name]/way[number]/send send =once
ep-wan:steering/choice[name]/way[number]/else else =any
ep-wan:steering/choice[name]/way[number]/note string
ep-wan:ikev2/conn-entry[name]/name string
ep-wan:ikev2/conn-entry[name]/purpose string
ep-wan:ikev2/conn-entry[name]/autostartup autostartup =start
ep-wan:ikev2/conn-entry[name]/interface string
ep-wan:ikev2/conn-entry[name]/remote-address address
ep-wan:ikev2/conn-entry[name]/remote-identity string
ep-wan:ikev2/conn-entry[name]/pre-shared-key pre-shared-key
ep-wan:ikev2/conn-entry[name]/encryption tunnel-encryption =aes-gcm-256
ep-wan:ikev2/conn-entry[name]/dh-group dh-group =19
ep-wan:ikev2/conn-entry[name]/rekey-time 10..1440 =240
ep-wan:ikev2/conn-entry[name]/local-subnets/subnet* prefix
ep-wan:ikev2/conn-entry[name]/remote-subnets/subnet* prefix
ep-mg:management-plane/own-port/port* string
ep-mg:management-plane/vrf string
ep-mg:management-plane/membership[interface]/interface string
ep-mg:management-plane/membership[interface]/vrf string
ep-mg:management-plane/allowed/vlan* vlan-or-range
ep-mg:management-plane/sign-in/by sign-in =local
ep-mg:management-plane/sign-in/servers/server* address
ep-mg:management-plane/sign-in/secret string
ep-mg:management-plane/snmp/versions snmp-versions =off
ep-mg:management-plane/snmp/community[name]/name string
ep-mg:management-plane/snmp/community[name]/secret string
ep-mg:management-plane/snmp/community[name]/access snmp-access =read
ep-mg:management-plane/snmp/community[name]/from/prefix* prefix
ep-mg:management-plane/snmp/user[name]/name string
ep-mg:management-plane/snmp/user[name]/access snmp-access =read
ep-mg:management-plane/snmp/user[name]/auth snmp-auth =sha-256
ep-mg:management-plane/snmp/user[name]/auth-secret string
ep-mg:management-plane/snmp/user[name]/privacy snmp-privacy =aes
ep-mg:management-plane/snmp/user[name]/privacy-secret string
ep-mg:management-plane/snmp/receiver[name]/name string
ep-mg:management-plane/snmp/receiver[name]/purpose string
ep-mg:management-plane/snmp/receiver[name]/to/address* address
ep-mg:management-plane/snmp/receiver[name]/severity trap-severity
ep-mg:management-plane/snmp/receiver[name]/community string
ep-mg:management-plane/snmp/receiver[name]/user string
ep-mg:management-plane/contact-input[number]/number 1..16
ep-mg:management-plane/contact-input[number]/text string
ep-mg:management-plane/contact-input[number]/severity severity =warning
ep-mg:management-plane/contact-input[number]/alarm-when contact =open
ep-sw:switching/loop-protection/interval 1..60 =5
ep-sw:switching/loop-protection/recovery recovery =300
oc-netin:network-instances/network-instance[name]/name string
oc-netin:network-instances/network-instance[name]/config/name string
oc-netin:network-instances/network-instance[name]/vlans/vlan[vlan-id]/vlan-id vlan
oc-netin:network-instances/network-instance[name]/vlans/vlan[vlan-id]/config/vlan-id vlan
oc-netin:network-instances/network-instance[name]/vlans/vlan[vlan-id]/config/name string
oc-netin:network-instances/network-instance[name]/vlans/vlan[vlan-id]/config/status vlan-status =ACTIVE
`

// lengthOf takes texts of so many octets.
func lengthOf(least, most int) func(string) error {
	return func(v string) error {
		if len(v) < least || len(v) > most {
			return fmt.Errorf("has %d octets, not %d to %d", len(v), least, most)
		}
		return nil
	}
}

// schemaNode is one node of the model: a container, a list (keys set), a leaf (check set) or a leaf-list.
type schemaNode struct {
	space, name string
	keys        []string
	leafList    bool
	check       func(string) error
	def         string
	children    map[string]*schemaNode // by name; names do not clash within a parent here
	order       []string
}

func (s *schemaNode) leaf() bool { return s.check != nil }

func (s *schemaNode) child(space, name string) *schemaNode {
	c := s.children[name]
	if c == nil || c.space != space {
		return nil
	}
	return c
}

var leafTypes = map[string]func(string) error{
	"string": func(v string) error {
		if len(v) > 255 {
			return fmt.Errorf("longer than 255 bytes")
		}
		return nil
	},
	"key": func(v string) error {
		_, _, _, _, err := ssh.ParseAuthorizedKey([]byte(v))
		return err
	},
	"boolean":       oneOf("true", "false"),
	"mode":          oneOf("ACCESS", "TRUNK"),
	"vlan-status":   oneOf("ACTIVE", "SUSPENDED"),
	"lag-type":      oneOf("LACP", "STATIC"),
	"lacp-interval": oneOf("FAST", "SLOW"),
	"lacp-mode":     oneOf("ACTIVE", "PASSIVE"),
	"bridge-priority": func(v string) error {
		if n, err := strconv.Atoi(v); err != nil || n < 0 || n > 61440 || n%4096 != 0 {
			return fmt.Errorf("%q is not a multiple of 4096 in the range 0..61440", v)
		}
		return nil
	},
	"duplex":         oneOf("FULL", "HALF"),
	"stp-guard":      oneOf("ROOT", "LOOP", "NONE"),
	"connector":      oneOf("auto", "copper", "fibre"),
	"power-priority": oneOf("critical", "high", "low"),
	"access-control": oneOf("off", "802.1x", "mac", "802.1x-or-mac"),
	"direction":      oneOf("both", "in", "out"),

	"station": func(v string) error {
		if _, err := net.ParseMAC(v); err != nil || len(v) != 17 || strings.Contains(v, ":") {
			return fmt.Errorf("%q is no hardware address written 02-4c-53-20-00-07", v)
		}
		return nil
	},
	"band":              oneOf("2.4", "5", "6"),
	"channel-width":     oneOf("20", "40", "80", "160"),
	"wireless-security": oneOf("open", "owe", "wpa2-personal", "wpa2-wpa3-personal", "wpa3-personal", "wpa2-enterprise", "wpa3-enterprise"),
	"country":           lengthOf(2, 2),
	"ssid":              lengthOf(1, 32),
	"passphrase":        lengthOf(8, 63),
	"scheduling":        oneOf("weighted", "strict"),
	"ring-role":         oneOf("client", "manager", "candidate"),
	"recovery-profile":  oneOf("30", "200", "500"),
	"sign-in":           oneOf("local", "radius"),
	"snmp-versions":     oneOf("off", "v2c", "v3", "v2c-and-v3"),
	"snmp-access":       oneOf("read", "read-write"),
	"snmp-auth":         oneOf("sha-256", "sha-1", "none"),
	"snmp-privacy":      oneOf("aes", "none"),
	"severity":          oneOf("critical", "major", "minor", "warning"),
	"trap-severity":     oneOf("critical", "major", "minor", "warning", "all"),
	"contact":           oneOf("open", "closed"),
	"address": func(v string) error {
		_, err := netip.ParseAddr(v)
		return err
	},
	"prefix": func(v string) error {
		_, err := netip.ParsePrefix(v)
		return err
	},
	"port-range": func(v string) error {
		low, high, isRange := strings.Cut(v, "..")
		if !isRange {
			high = low
		}
		return cmp.Or(within(0, 65535)(low), within(0, 65535)(high))
	},
	"dscp": func(v string) error {
		if v == "ignore" {
			return nil
		}
		return within(0, 63)(v)
	},
	"recovery": func(v string) error {
		if v == "never" {
			return nil
		}
		return within(1, 86400)(v)
	},
	"hours": func(v string) error {
		_, err := readHours(v)
		return err
	},
	"flow": func(v string) error {
		_, err := readFlow(v)
		return err
	},
	"uri": func(v string) error {
		if u, err := url.Parse(v); err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
			return fmt.Errorf("%q is no address of the web", v)
		}
		return nil
	},
	"policy-name": oneOf("main"),
	"gateway-address": func(v string) error {
		if v == "dhcp" {
			return nil
		}
		_, err := netip.ParsePrefix(v)
		return err
	},
	"address-range": func(v string) error {
		if s, ok := readSpan(v); !ok || s.high.Less(s.low) {
			return fmt.Errorf("%q is no range", v)
		}
		return nil
	},
	"intrusion": oneOf("off", "critical", "high", "medium", "low"),
	"application-limit": func(v string) error {
		_, _, err := readLimit(v)
		return err
	},
	"translation-kind": oneOf("source", "destination"),
	"polarization":     oneOf("horizontal", "vertical"),
	"power-mode":       oneOf("rtpc", "atpc"),
	"modulation":       oneOf("qpsk", "qam-16", "qam-64", "qam-256", "qam-1024"),
	"level": func(v string) error {
		if f, err := strconv.ParseFloat(v, 64); err != nil || !(f >= -99 && f <= 99) {
			return fmt.Errorf("%q is no level from -99 to 99 dBm", v)
		}
		return nil
	},
	"send": oneOf("once", "twice"),
	"else": oneOf("any", "drop"),
	"percent": func(v string) error {
		if f, err := strconv.ParseFloat(v, 64); err != nil || f < 0.01 || f > 50 {
			return fmt.Errorf("%q is no percentage from 0.01 to 50", v)
		}
		return nil
	},
	"policy-action": oneOf("allow", "deny", "reject"),
	"date": func(v string) error {
		_, err := time.Parse(time.DateOnly, v)
		return err
	},
	"uint16":        within(0, 65535),
	"vlan":          within(1, 4094),
	"identity":      func(string) error { return nil },
	"vlan-or-range": vlanOrRange,

	"autostartup":       oneOf("add", "on-demand", "start"),
	"tunnel-encryption": oneOf("aes-gcm-256", "aes-gcm-128", "aes-cbc-256", "chacha20-poly1305"),
	"dh-group":          oneOf("14", "19", "20", "31"),
	"router-secret": func(v string) error {
		if len(v) < 8 || len(v) > 80 {
			return errors.New("a secret of routers has 8 to 80 characters")
		}
		return nil
	},
	"pre-shared-key": func(v string) error {
		if len(v) < 20 || len(v) > 120 {
			return errors.New("a pre-shared key has 20 to 120 characters")
		}
		return nil
	},
}

func oneOf(words ...string) func(string) error {
	return func(v string) error {
		for _, w := range words {
			if v == w {
				return nil
			}
		}
		return fmt.Errorf("%q is none of %s", v, strings.Join(words, ", "))
	}
}

func within(low, high int) func(string) error {
	return func(v string) error {
		n, err := strconv.Atoi(v)
		if err != nil || n < low || n > high {
			return fmt.Errorf("%q is not in the range %d..%d", v, low, high)
		}
		return nil
	}
}

func vlanOrRange(v string) error {
	_, _, err := vlanRange(v)
	return err
}

// vlanRange reads "20" or "20..25" (oc-vlan-types:vlan-range).
func vlanRange(v string) (low, high int, err error) {
	from, to, isRange := strings.Cut(v, "..")
	check := within(1, 4094)
	if err := check(from); err != nil {
		return 0, 0, err
	}
	low, _ = strconv.Atoi(from)
	if !isRange {
		return low, low, nil
	}
	if err := check(to); err != nil {
		return 0, 0, err
	}
	if high, _ = strconv.Atoi(to); high < low {
		return 0, 0, fmt.Errorf("%q runs backwards", v)
	}
	return low, high, nil
}

var schema = readSchema(schemaLines)

func readSchema(lines string) *schemaNode {
	root := &schemaNode{children: map[string]*schemaNode{}}
	for line := range strings.Lines(lines) {
		words := strings.Fields(line)
		if len(words) == 0 {
			continue
		}
		at, space := root, ""
		for step := range strings.SplitSeq(words[0], "/") {
			if prefix, rest, ok := strings.Cut(step, ":"); ok {
				space, step = namespaces[prefix], rest
			}
			name, keys, _ := strings.Cut(strings.TrimSuffix(step, "]"), "[")
			name, leafList := strings.CutSuffix(name, "*")
			next := at.children[name]
			if next == nil {
				next = &schemaNode{space: space, name: name, leafList: leafList, children: map[string]*schemaNode{}}
				if keys != "" {
					next.keys = strings.Split(keys, ",")
				}
				at.children[name] = next
				at.order = append(at.order, name)
			}
			at = next
		}
		at.check = leafTypes[words[1]]
		if low, high, isRange := strings.Cut(words[1], ".."); isRange {
			l, _ := strconv.Atoi(low)
			h, _ := strconv.Atoi(high)
			at.check = within(l, h)
		}
		if len(words) > 2 {
			at.def = strings.TrimPrefix(words[2], "=")
		}
	}
	return root
}
