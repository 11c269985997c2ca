package v1

// List is a list, or a page of one.
type List[T any] struct {
	Items []T `json:"items"`
	// Total is how many match, All how many there are.
	Total  int                `json:"total" doc:"How many match"`
	All    int                `json:"all,omitempty" doc:"How many there are"`
	Next   string             `json:"next,omitempty" doc:"The cursor of the next page, if there is one"`
	Counts map[string][]Count `json:"counts,omitempty" doc:"How many match, by the values of each field asked for with count"`
}

// Count is how many have a value.
type Count struct {
	Value string `json:"value" doc:"As it is written in a selector; empty: not known"`
	Count int    `json:"count"`
}

// Field is a property by which things are picked.
type Field struct {
	Name      string   `json:"name"`
	Of        string   `json:"of" doc:"What it is a property of: site, device, port, client, link or event"`
	Type      string   `json:"type" doc:"text, choice, number, flag, version, address or age"`
	Many      bool     `json:"many,omitempty" doc:"Whether it has several values: a comparison holds when it holds for one of them"`
	Operators []string `json:"operators"`
	Choices   []string `json:"choices,omitempty"`
	Help      string   `json:"help"`
}

// Completion is what may stand in a part of an expression.
type Completion struct {
	From       int         `json:"from" doc:"The part that a candidate replaces, in characters from 0"`
	To         int         `json:"to"`
	Candidates []Candidate `json:"candidates"`
}

// Candidate is a way to go on.
type Candidate struct {
	Text string `json:"text"`
	Help string `json:"help,omitempty"`
}

// Reading tells how an expression was read and what it picks, or where it is wrong.
type Reading struct {
	Fault      *Fault `json:"fault,omitempty" doc:"What is wrong with it; the rest is empty then"`
	Expression string `json:"expression" doc:"Written out in full"`
	Sites      int    `json:"sites" doc:"How many it picks"`
	Devices    int    `json:"devices"`
	Ports      int    `json:"ports"`
	Clients    int    `json:"clients"`
	Links      int    `json:"links"`
}

// Fault tells where an expression is wrong and what was expected there.
type Fault struct {
	At      int    `json:"at" doc:"The place, in characters from 0"`
	End     int    `json:"end"`
	Problem string `json:"problem"`
	Hint    string `json:"hint,omitempty"`
}
