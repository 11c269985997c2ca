package v1

import "time"

// Notice says who is told of which alarms, and how.
type Notice struct {
	Name string `json:"name"`
	NoticeRequest
}

// NoticeRequest is what a notice says.
type NoticeRequest struct {
	Mail     []string `json:"mail,omitempty" maxItems:"50" doc:"Addresses of mail; or a webhook"`
	People   []string `json:"people,omitempty" maxItems:"50" doc:"Users who get mail at their own addresses, of what they may see"`
	Webhook  string   `json:"webhook,omitempty" maxLength:"1000" doc:"Address of a page to which JSON is posted, signed in the form of Standard Webhooks"`
	Severity string   `json:"severity" enum:"critical,major,minor,warning" doc:"The least"`
	Pick     string   `json:"pick,omitempty" maxLength:"4000" doc:"A selector of devices; all, and the service itself, when left out"`
	Hours    string   `json:"hours,omitempty" maxLength:"1000" doc:"When it tells: mon-fri 06:00-19:00; always when left out"`
	Zone     string   `json:"zone,omitempty" maxLength:"64" doc:"IANA time zone of the hours; UTC when left out"`
	After    int      `json:"after,omitempty" minimum:"0" maximum:"1440" doc:"Only of what nobody acknowledged for so many minutes"`
}

// NoticeAnswer is a notice that was made or replaced.
type NoticeAnswer struct {
	Notice
	Secret string `json:"secret,omitempty" doc:"By which the webhook is signed: told once, when it is made"`
}

// Delivery is something that was told, or is to be.
type Delivery struct {
	Number    int64      `json:"number" minimum:"1" maximum:"9007199254740991"`
	Notice    string     `json:"notice"`
	Alarm     int64      `json:"alarm,omitempty" minimum:"0" maximum:"9007199254740991"`
	Kind      string     `json:"kind" enum:"raised,over,test"`
	State     string     `json:"state" enum:"waiting,sent,failed,dropped" doc:"dropped: it need not be told any more"`
	Tries     int        `json:"tries"`
	Next      *time.Time `json:"next_at,omitempty" doc:"While it waits: not before"`
	CreatedAt time.Time  `json:"created_at"`
	EndedAt   *time.Time `json:"ended_at,omitempty"`
	Said      string     `json:"said,omitempty" doc:"Why it was not sent, or not yet"`
}

// MailServer is by which mail is sent.
type MailServer struct {
	Address string `json:"address" maxLength:"260" doc:"host:port; empty where there is none"`
	From    string `json:"from" maxLength:"320" doc:"Address of mail of who sends"`
	TLS     string `json:"tls" enum:"starttls,tls,none"`
	User    string `json:"user,omitempty" maxLength:"256"`
}

// MailServerRequest sets it.
type MailServerRequest struct {
	MailServer
	Password string `json:"password,omitempty" maxLength:"1000" doc:"Stays as it was when left out"`
}
