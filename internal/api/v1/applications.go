package v1

import "time"

// ApplicationUse is how much of an application was used, added up.
type ApplicationUse struct {
	Application string `json:"application" doc:"As the firewalls call it; empty by wireless network, where categories are added up"`
	Category    string `json:"category,omitempty"`
	Site        string `json:"site,omitempty" doc:"By site, network or client"`
	Network     string `json:"network,omitempty" doc:"The security zone; by network or client"`
	SSID        string `json:"ssid,omitempty" doc:"The wireless network, by that: of stations that who asks may see, as they are in it now or were last"`
	Address     string `json:"address,omitempty" doc:"Of the end station; by client"`
	Name        string `json:"name,omitempty" doc:"What the end station is called"`
	Clients     int    `json:"clients" doc:"How many used it"`
	Sessions    uint64 `json:"sessions" doc:"That were let begin"`
	Denied      uint64 `json:"denied" doc:"Sessions that were not"`
	UpOctets    uint64 `json:"up_octets"`
	DownOctets  uint64 `json:"down_octets"`
}

// UnreadFirewall is a firewall that did not tell.
type UnreadFirewall struct {
	Device string `json:"device"`
	Why    string `json:"why"`
}

// ApplicationUses is what firewalls counted.
type ApplicationUses struct {
	Since  *time.Time       `json:"since,omitempty" doc:"From when on: of the firewall that began to count last"`
	Items  []ApplicationUse `json:"items" doc:"What used most first"`
	Total  int              `json:"total" doc:"How many there are"`
	Unread []UnreadFirewall `json:"unread" doc:"Firewalls that did not tell"`
}
