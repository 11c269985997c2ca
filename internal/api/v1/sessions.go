package v1

import "time"

// FirewallSession is a session that a firewall let begin, as it stands.
type FirewallSession struct {
	ID              string    `json:"id" doc:"By which the device knows it, as long as it goes on"`
	Protocol        string    `json:"protocol" doc:"tcp, udp or icmp"`
	Source          string    `json:"source" doc:"Who began it, with the port: 10.2.80.161:40112"`
	SourceName      string    `json:"source_name,omitempty" doc:"What the end station is called"`
	Destination     string    `json:"destination" doc:"With whom, with the port"`
	DestinationName string    `json:"destination_name,omitempty"`
	From            string    `json:"from,omitempty" doc:"Security zone"`
	To              string    `json:"to,omitempty" doc:"Security zone"`
	Rule            int       `json:"rule,omitempty" doc:"That let it begin"`
	SeenSource      string    `json:"seen_source,omitempty" doc:"Who began it as it is seen beyond the firewall, where that translates it"`
	SeenDestination string    `json:"seen_destination,omitempty" doc:"With whom it is beyond the firewall, where that translates it"`
	Application     string    `json:"application,omitempty" doc:"What the device takes it for"`
	Category        string    `json:"category,omitempty" doc:"Of the application"`
	Began           time.Time `json:"began"`
	UpOctets        uint64    `json:"up_octets" doc:"From who began it"`
	DownOctets      uint64    `json:"down_octets" doc:"To who began it"`
}

// BlockedSource may reach nothing through a firewall for a time.
type BlockedSource struct {
	Address string    `json:"address"`
	Name    string    `json:"name,omitempty" doc:"What the end station is called"`
	Until   time.Time `json:"until"`
	Refused uint64    `json:"refused_sessions" doc:"That it wanted to begin since"`
}

// FirewallSessions are the sessions of a firewall, as it tells them at the moment.
type FirewallSessions struct {
	Total   int               `json:"total" doc:"How many there are of those that are asked for"`
	Items   []FirewallSession `json:"items" doc:"The newest first"`
	Blocked []BlockedSource   `json:"blocked" doc:"Who may reach nothing through it for a time, as it was last read"`
}
