package v1

import "time"

// TerminalFrame is a text frame of a terminal's WebSocket; binary frames are what is typed and what is shown. The first frame
// of a client must be one with Columns and Rows, and with CSRF where a session's cookie signs it in.
type TerminalFrame struct {
	CSRF    string `json:"csrf,omitempty"`
	Columns int    `json:"columns,omitempty"`
	Rows    int    `json:"rows,omitempty"`
	Number  int64  `json:"number,omitempty" doc:"From the service, once: the number under which it is recorded"`
	Ended   string `json:"ended,omitempty" doc:"From the service, at the end: why"`
}

// TerminalSession is a terminal that somebody opened on a device.
type TerminalSession struct {
	Number   int64      `json:"number"`
	Device   string     `json:"device"`
	User     string     `json:"user"`
	OpenedAt time.Time  `json:"opened_at"`
	EndedAt  *time.Time `json:"ended_at,omitempty" doc:"Left out while it is open"`
	Why      string     `json:"why,omitempty" doc:"It ended"`
	Shown    int64      `json:"shown_octets" doc:"How much the device showed; the first MiB is recorded"`
}
