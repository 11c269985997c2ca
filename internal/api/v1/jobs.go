package v1

import "time"

// JobKind is something that jobs do.
type JobKind struct {
	Kind      string     `json:"kind"`
	Title     string     `json:"title"`
	Does      string     `json:"does"`
	Right     string     `json:"right" doc:"What it takes on each device: operate backups"`
	Disturbs  string     `json:"disturbs,omitempty" doc:"What is lost while it goes on"`
	Writes    bool       `json:"writes" doc:"It changes what devices run, and so is shown before it is begun"`
	Elsewhere bool       `json:"elsewhere,omitempty" doc:"It is about addresses, and picks no devices"`
	Params    []JobParam `json:"params"`
}

// JobParam is something to be said of a job.
type JobParam struct {
	Name    string `json:"name"`
	Title   string `json:"title"`
	Help    string `json:"help"`
	Default string `json:"default"`
	Form    string `json:"form"`
	Secret  bool   `json:"secret,omitempty" doc:"It is sealed when it is said, and never told"`
}

// JobRequest makes a job.
type JobRequest struct {
	Kind  string            `json:"kind" enum:"backup,upgrade,go-back,passwords,renew,search"`
	Title string            `json:"title,omitempty" maxLength:"120"`
	Where string            `json:"where,omitempty" maxLength:"4000" doc:"A selector: on which devices; on all when left out. It picks anew each time"`
	Args  map[string]string `json:"args,omitempty" maxProperties:"20"`
	When  JobWhen           `json:"when,omitempty"`
}

// JobWhen says when a job is done.
type JobWhen struct {
	At      *time.Time `json:"at,omitempty" doc:"The first time; at once when left out"`
	Rule    string     `json:"rule,omitempty" maxLength:"300" doc:"How it recurs: a recurrence rule (RFC 5545 section 3.3.10), such as FREQ=DAILY;BYHOUR=2; once when left out"`
	Zone    string     `json:"zone,omitempty" maxLength:"60" doc:"Time zone (IANA) of the rule and the hours; UTC when left out"`
	Hours   string     `json:"hours,omitempty" maxLength:"500" doc:"Only then steps are begun: mon-fri 22:00-24:00"`
	CatchUp bool       `json:"catch_up,omitempty" doc:"It is done as soon as possible where the service did not run when it was due"`
}

// Job is work on many devices.
type Job struct {
	Number int64             `json:"number" minimum:"1" maximum:"9007199254740991"`
	Kind   string            `json:"kind"`
	Title  string            `json:"title"`
	Owner  string            `json:"owner" doc:"By whose rights it works"`
	Where  string            `json:"where"`
	Args   map[string]string `json:"args"`
	State  string            `json:"state" enum:"active,held,over"`
	When   JobWhen           `json:"when"`
	Text   string            `json:"text" doc:"When it is done, in words"`
	NextAt *time.Time        `json:"next_at,omitempty" doc:"When it is done next"`
	MadeAt time.Time         `json:"made_at"`
	Last   *JobRun           `json:"last,omitempty" doc:"Its last run"`
}

// JobRun is one time that a job is done.
type JobRun struct {
	Number  int64          `json:"number" minimum:"1" maximum:"9007199254740991"`
	Job     int64          `json:"job" minimum:"1" maximum:"9007199254740991"`
	State   string         `json:"state" enum:"running,waiting,paused,done,failed,cancelled,missed" doc:"waiting: for its hours"`
	DueAt   time.Time      `json:"due_at"`
	BegunAt time.Time      `json:"begun_at"`
	EndedAt *time.Time     `json:"ended_at,omitempty"`
	By      string         `json:"by,omitempty" doc:"Who began it by hand"`
	Why     string         `json:"why,omitempty" doc:"It ended as it did"`
	Retries int64          `json:"retries,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The run whose failed steps it does again"`
	Counts  map[string]int `json:"counts" doc:"How many steps are in which state"`
}

// JobRunDetail is a run with its steps.
type JobRunDetail struct {
	JobRun

	Steps []JobStep `json:"steps" doc:"In the order of work"`
}

// JobStep is the work on one device.
type JobStep struct {
	Device  string     `json:"device" doc:"Or the addresses of a search"`
	Wave    int        `json:"wave" doc:"From 1; those of a wave are done at once, and all before the next"`
	State   string     `json:"state" enum:"waiting,running,done,unchanged,failed,skipped"`
	Doing   string     `json:"doing,omitempty" doc:"What is done at the moment, or was when it failed"`
	Percent int        `json:"percent,omitempty" doc:"Of what is done at the moment"`
	Note    string     `json:"note,omitempty" doc:"What came of it"`
	From    string     `json:"from,omitempty" doc:"As it was before"`
	To      string     `json:"to,omitempty" doc:"As it is to be"`
	BegunAt *time.Time `json:"begun_at,omitempty"`
	EndedAt *time.Time `json:"ended_at,omitempty"`
}

// JobPlan is what a job would do now.
type JobPlan struct {
	Disturbs string    `json:"disturbs,omitempty" doc:"What is lost while it goes on"`
	Steps    []JobStep `json:"steps" doc:"In the order of work"`
}

// JobAct is done to a job or a run of it.
type JobAct struct {
	Act string `json:"act" enum:"begin,hold,release,pause,resume,cancel,retry" doc:"Of a job: begin, hold, release. Of a run: pause, resume, cancel, retry"`
}
