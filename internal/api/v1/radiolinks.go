package v1

// RadioLinkEnd is one end of a point-to-point radio link: how it is told to send and hear, and what it hears.
type RadioLinkEnd struct {
	Device        string   `json:"device"`
	Port          string   `json:"port"`
	Site          string   `json:"site,omitempty"`
	Up            bool     `json:"up"`
	Away          bool     `json:"away" doc:"It is not in hand: what is told of it is old"`
	Sends         bool     `json:"sends" doc:"Whether its port and its transmitter are on, as it is set"`
	TxMHz         float64  `json:"tx_mhz" doc:"Centre of what it sends (RFC 8561 tx-frequency)"`
	RxMHz         float64  `json:"rx_mhz" doc:"Centre of what it hears (RFC 8561 rx-frequency)"`
	SeparationMHz float64  `json:"separation_mhz" doc:"Width of the channel (RFC 8561 channel-separation)"`
	Polarization  string   `json:"polarization" enum:"horizontal,vertical"`
	PowerMode     string   `json:"power_mode" enum:"fixed,automatic" doc:"RTPC or ATPC (RFC 8561)"`
	NominalDbm    float64  `json:"nominal_dbm" doc:"What it sends at most (RFC 8561 maximum-nominal-power)"`
	SentDbm       *float64 `json:"sent_dbm,omitempty" doc:"What it sends; absent while it sends nothing"`
	ReceivedDbm   *float64 `json:"received_dbm,omitempty" doc:"What it receives; absent where it hears nothing"`
	ExpectedDbm   *float64 `json:"expected_dbm,omitempty" doc:"What it would receive in clear air (ITU-R P.525)"`
	NeedDbm       *float64 `json:"need_dbm,omitempty" doc:"What its lowest modulation takes in that channel, an estimate: kTB, a noise figure of 6 dB, 2^bits - 1 and a gap of 6 dB"`
	Modulation    string   `json:"modulation,omitempty" doc:"In use; absent while nothing can be read"`
	Lowest        string   `json:"lowest" doc:"Lowest modulation that it goes down to"`
	Highest       string   `json:"highest" doc:"Highest that it goes up to"`
	CapacityMbps  int      `json:"capacity_mbps" doc:"What the modulation carries"`
	DistanceKm    float64  `json:"distance_km,omitempty"`

	Licence *RadioLicence `json:"licence,omitempty" doc:"By what right it sends; absent where none is known"`
	Breach  []string      `json:"breach,omitempty" doc:"In what it sends otherwise than its licence says, and that this ends soon or ended"`
}

// RadioLicence is the right of one end of a radio link to send, as an authority gave it.
type RadioLicence struct {
	Number       string   `json:"number" minLength:"1" maxLength:"200" doc:"By which the authority knows it"`
	Authority    string   `json:"authority,omitempty" maxLength:"200"`
	TxMHz        float64  `json:"tx_mhz" minimum:"0" maximum:"400000" doc:"Centre of the channel"`
	WidthMHz     float64  `json:"width_mhz" minimum:"0" maximum:"4000" doc:"Width of the channel: what is sent must be within"`
	Polarization string   `json:"polarization,omitempty" enum:"horizontal,vertical" doc:"Absent for either"`
	MostDbm      *float64 `json:"most_dbm,omitempty" minimum:"-60" maximum:"60" doc:"Power at the transmitter; absent where nothing is said of it"`
	Ends         string   `json:"ends,omitempty" maxLength:"10" doc:"The last day, as 2027-06-30; absent where it does not end"`
	Notes        string   `json:"notes,omitempty" maxLength:"200"`
}

// RadioLink joins two sites through the air.
type RadioLink struct {
	Near RadioLinkEnd  `json:"near"`
	Far  *RadioLinkEnd `json:"far,omitempty" doc:"Absent where the other end is not known here, or not to be seen by who asks"`
	Up   bool          `json:"up"`
	Why  []string      `json:"why" doc:"Why it is down, and what to do; what weighs most first"`
}

// RadioLinkFared is how one end of a radio link fared over a time.
type RadioLinkFared struct {
	Device       string   `json:"device"`
	KnownS       int      `json:"known_s" doc:"Of how many seconds anything is known"`
	CountedS     int      `json:"counted_s" doc:"In how many seconds errors were counted"`
	ErroredS     float64  `json:"errored_s" doc:"Errored seconds (ITU-T G.828)"`
	SeverelyS    float64  `json:"severely_s" doc:"Severely errored seconds, among them"`
	UnavailableS float64  `json:"unavailable_s" doc:"Seconds in which it was unavailable"`
	ESR          float64  `json:"esr" doc:"Errored seconds to available seconds"`
	SESR         float64  `json:"sesr" doc:"Severely errored seconds to available seconds"`
	Availability float64  `json:"availability" doc:"Part of the counted time in which it was available, 0 to 1"`
	LowestDbm    *float64 `json:"lowest_dbm,omitempty" doc:"Lowest level received"`
	HighestDbm   *float64 `json:"highest_dbm,omitempty" doc:"Highest"`
	CapacityMbps float64  `json:"capacity_mbps" doc:"The least that it carried"`
	RxPeakMbps   float64  `json:"rx_peak_mbps" doc:"Received: the highest of the means of steps"`
	RxMostMbps   float64  `json:"rx_most_mbps" doc:"What 95 of 100 steps did not exceed"`
	TxPeakMbps   float64  `json:"tx_peak_mbps" doc:"Sent, likewise"`
	TxMostMbps   float64  `json:"tx_most_mbps"`
	StepS        int      `json:"step_s" doc:"How long a step is"`
}

// RadioLinkPage is one radio link, as seen from a device, and how both ends fared.
type RadioLinkPage struct {
	Link   RadioLink        `json:"link"`
	Period string           `json:"period"`
	Fared  []RadioLinkFared `json:"fared" doc:"The near end first"`
	Left   *float64         `json:"left_mbps,omitempty" doc:"What is left of the capacity now, beside the busiest step of the busier way; absent where that is not known"`
}

// RadioLinkRequest sets both ends of a radio link alike: what one is to send on the other is to hear on.
type RadioLinkRequest struct {
	Change int64             `json:"change,omitempty" doc:"The draft into which it goes; a new one when left out"`
	Why    string            `json:"why,omitempty" maxLength:"2000"`
	Set    map[string]string `json:"set" minProperties:"1" maxProperties:"20" doc:"Values by setting, as of the near end: tx-frequency, rx-frequency, channel-separation, polarization, power-mode, nominal-power, level-least, level-most, modulation-lowest, modulation-highest"`
}
