package setting

// Ready is settings that are often wanted together, of a device and what it holds.
type Ready struct {
	Name, Title, Help string
	Rows              []ReadyRow
}

// ReadyRow sets one object; "" is the device itself.
type ReadyRow struct {
	Object string
	Set    map[string]string
}

// ReadySets lists them.
func ReadySets() []Ready { return readySets }

// class is what a ready set says of a class of traffic.
func class(number, purpose, dscp, scheduling, share, bandwidth string) ReadyRow {
	return ReadyRow{Object(OnClass, number), map[string]string{Present: "on", "purpose": purpose, "class-dscp": dscp, "scheduling": scheduling, "share": share, "bandwidth": bandwidth}}
}

// The code points are those of RFC 4594.
var readySets = []Ready{
	{"voice-first", "Voice first", "eight classes in which phones wait for nobody: voice strict and bounded, signalling and video by their share", []ReadyRow{
		class("7", "network control", "56", "strict", "1", "5"), class("6", "routing", "48", "strict", "1", "10"),
		class("5", "voice", "46", "strict", "1", "30"), class("4", "video", "34,36,38", "weighted", "25", "none"),
		class("3", "call signalling", "24,26", "weighted", "10", "none"), class("2", "transactions", "18,20,22", "weighted", "25", "none"),
		class("1", "bulk", "8,10,12,14", "weighted", "5", "none"), class("0", "all else", "0", "weighted", "35", "none"),
	}},
	{"machines-first", "Machines first", "for docks and piers: controllers and sensors before all else, cameras by a large share", []ReadyRow{
		class("7", "network control", "56", "strict", "1", "5"), class("6", "controllers", "48", "strict", "1", "40"),
		class("5", "voice", "46", "strict", "1", "20"), class("4", "cameras", "34,36,38", "weighted", "50", "none"),
		class("0", "all else", "0", "weighted", "20", "none"),
	}},
}
