// Package fact names what can happen: each happening has a code and arguments of its own types. Sentences are made of them at the edge, by a
// catalogue of messages (fact/words), and nowhere else.
package fact

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
)

// Code names a happening: its kind, and what happened.
type Code string

// Kind is what a happening is about in the large; the first word of its code.
type Kind string

// The kinds.
const (
	Port   Kind = "port"   // a port's link came or went
	Device Kind = "device" // a device came or went, or something in it broke
	Config Kind = "config" // a device's running configuration changed
	Change Kind = "change" // a change took a step
	Fleet  Kind = "fleet"  // the set of devices or sites changed
	Drift  Kind = "drift"  // a device came to run other than intended, or what is intended again
	Search Kind = "search" // a search for devices, or one that was claimed
	Alarm  Kind = "alarm"  // an alarm was raised, changed or cleared
	Job    Kind = "job"    // a job was begun, or is over
)

// Kinds of states that are none of facts.
const (
	Readings  Kind = "state"     // a device was read
	Guest     Kind = "guest"     // one came, or his time was ended
	Operation Kind = "operation" // more came back of what a device was asked to do
)

// Kinds lists the kinds of facts.
func Kinds() []Kind { return []Kind{Port, Device, Config, Change, Fleet, Drift, Search, Alarm, Job} }

// Kind returns the kind of a happening.
func (c Code) Kind() Kind {
	kind, _, _ := strings.Cut(string(c), ".")
	return Kind(kind)
}

// Happening is what happened: one of the types of happenings.go, which hold the arguments.
type Happening interface{ Code() Code }

// Fact is something that happened to something.
type Fact struct {
	Number  int64 // in the journal, from 1 on; 0 for one that is not in it
	At      time.Time
	Subject Subject
	What    Happening
}

// Code is that of what happened.
func (f Fact) Code() Code { return f.What.Code() }

// Of is a fact that happened at a time.
func Of(at time.Time, s Subject, what Happening) Fact { return Fact{At: at, Subject: s, What: what} }

// Is is what things a fact can be about.
type Is string

// The things.
const (
	OfDevice  Is = "device"
	OfPort    Is = "port"
	OfChange  Is = "change"
	OfSite    Is = "site"
	OfSearch  Is = "search"
	OfJob     Is = "job"
	OfSerial  Is = "serial" // a device that is not known but by its serial number
	OfNothing Is = ""       // the network as a whole
)

// Subject is what a fact is about.
type Subject struct {
	Is     Is
	Name   string // of a device, a site, or a port without its device; a serial number
	Device string // of a port
	Number int64  // of a change, a search or a job
}

// TheDevice is a device as a subject.
func TheDevice(name string) Subject { return Subject{Is: OfDevice, Name: name} }

// ThePort is a port as a subject.
func ThePort(device, port string) Subject { return Subject{Is: OfPort, Name: port, Device: device} }

// TheChange is a change as a subject.
func TheChange(number int64) Subject { return Subject{Is: OfChange, Number: number} }

// TheSite is a site as a subject.
func TheSite(name string) Subject { return Subject{Is: OfSite, Name: name} }

// TheSearch is a search for devices as a subject.
func TheSearch(number int64) Subject { return Subject{Is: OfSearch, Number: number} }

// TheJob is a job as a subject.
func TheJob(number int64) Subject { return Subject{Is: OfJob, Number: number} }

// TheSerial is a device that is expected as a subject.
func TheSerial(serial string) Subject { return Subject{Is: OfSerial, Name: serial} }

// OnDevice is the device that a subject is, or is on; "" for none.
func (s Subject) OnDevice() string {
	switch s.Is {
	case OfDevice:
		return s.Name
	case OfPort:
		return s.Device
	}
	return ""
}

// Renamed is the subject after its device got another name; of what is on no device it is the same.
func (s Subject) Renamed(device string) Subject {
	switch {
	case device == "":
	case s.Is == OfDevice:
		s.Name = device
	case s.Is == OfPort:
		s.Device = device
	}
	return s
}

// PortName is that of a port; "" for what is none.
func (s Subject) PortName() string {
	if s.Is == OfPort {
		return s.Name
	}
	return ""
}

// String is how people write it.
func (s Subject) String() string {
	switch s.Is {
	case OfPort:
		return s.Device + ":" + s.Name
	case OfChange, OfSearch, OfJob:
		return fmt.Sprint(s.Number)
	}
	return s.Name
}

// Arguments returns what happened as JSON.
func Arguments(h Happening) ([]byte, error) { return json.Marshal(h) }

// Read makes a happening of its code and arguments.
func Read(c Code, arguments []byte) (Happening, error) {
	t, ok := types[c]
	if !ok {
		return nil, fmt.Errorf("nothing has the code %q", c)
	}
	v := reflect.New(t)
	if err := json.Unmarshal(arguments, v.Interface()); err != nil {
		return nil, fmt.Errorf("%s: %w", c, err)
	}
	return v.Elem().Interface().(Happening), nil
}

// Foreign is something of which the arguments are not understood: another version told it.
type Foreign struct{ Named Code }

// Code is what it was named.
func (f Foreign) Code() Code { return f.Named }

// Codes lists all there are, in order.
func Codes() []Code {
	out := make([]Code, 0, len(types))
	for c := range types {
		out = append(out, c)
	}
	slices.Sort(out)
	return out
}

// Argument is one of a happening: its name in JSON, and of what type it is.
type Argument struct{ Name, Type string }

// ArgumentsOf lists the arguments of a code.
func ArgumentsOf(c Code) []Argument {
	t, ok := types[c]
	if !ok {
		return nil
	}
	var out []Argument
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ",")
		kind := map[reflect.Kind]string{reflect.String: "text", reflect.Bool: "true or false", reflect.Int: "number", reflect.Slice: "list of texts", reflect.Struct: "object", reflect.Map: "object", reflect.Int64: "number"}[t.Field(i).Type.Kind()]
		out = append(out, Argument{name, kind})
	}
	return out
}

var types = func() map[Code]reflect.Type {
	out := map[Code]reflect.Type{}
	for _, h := range all {
		if out[h.Code()] != nil {
			panic("two happenings have the code " + string(h.Code()))
		}
		out[h.Code()] = reflect.TypeOf(h)
	}
	return out
}()

// Health is how its subject does after it, where it tells.
func (f Fact) Health() string {
	switch w := f.What.(type) {
	case DeviceConnected:
		return string(network.DeviceHealth(network.ReachConnected))
	case DeviceRefused:
		return string(network.DeviceHealth(network.ReachRefused))
	case DeviceGone:
		return string(network.DeviceHealth(network.ReachGone))
	case DeviceTrouble:
		return string(network.Degraded)
	case DeviceTroubleOver:
		return string(network.Well)
	case DeviceRetired:
		return string(network.Off)
	case LinkLost:
		return string(w.Oper)
	case LinkBack:
		return string(network.Up)
	}
	return ""
}

// State tells that something is to be read anew, as that a device was read. It is not worth a word: of many alike only the last counts, and none is
// kept.
type State struct {
	Kind      Kind
	Device    string
	Change    int64
	Operation int64
	Job       int64
}

// NameFreed tells that a name is no longer that of the device that had it: another may get it.
func NameFreed(f Fact) (name string, freed bool) {
	switch w := f.What.(type) {
	case DeviceForgotten:
		return f.Subject.Name, true
	case DeviceRenamed:
		return w.From, true
	}
	return "", false
}
