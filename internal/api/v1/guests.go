package v1

import "time"

// PortalLook is what the page of a portal says, and in which colours.
type PortalLook struct {
	Heading string `json:"heading,omitempty" maxLength:"480" doc:"The title when left out"`
	Text    string `json:"text,omitempty" maxLength:"8000" doc:"Plain text, lines as they are"`
	Terms   string `json:"terms,omitempty" maxLength:"80000" doc:"To what guests agree; plain text"`
	Button  string `json:"button,omitempty" maxLength:"160" doc:"What stands on the button"`
	Accent  string `json:"accent,omitempty" maxLength:"7" doc:"Colour of the button, such as #8a1c6b"`
	Ground  string `json:"ground,omitempty" maxLength:"7" doc:"Colour behind the page"`
}

// GuestPortalRequest is what a portal is to be.
type GuestPortalRequest struct {
	Title       string     `json:"title,omitempty" maxLength:"480"`
	Way         string     `json:"way,omitempty" enum:"agree,voucher,host" default:"agree" doc:"What a guest must do: agree to the terms, have a voucher, or wait until somebody of the house lets him in"`
	Minutes     int        `json:"minutes,omitempty" minimum:"0" maximum:"527040" doc:"For which a guest is let in; 240 when left out"`
	RateKbps    int        `json:"rate_kbps,omitempty" minimum:"0" maximum:"100000000" doc:"What a guest may send and receive at most, in kbit/s; as the network says when left out"`
	AsksForName bool       `json:"asks_for_name,omitempty"`
	Look        PortalLook `json:"look,omitempty"`
}

// GuestPortal is a page on which guests of wireless networks are received.
type GuestPortal struct {
	Name string `json:"name"`
	GuestPortalRequest
	HasPicture bool     `json:"has_picture"`
	Address    string   `json:"address,omitempty" doc:"Where guests find it; empty where the service has no door for guests"`
	Networks   []string `json:"networks" doc:"Wireless networks whose stations it receives"`
	Devices    []string `json:"devices" doc:"Access points that send stations to it"`
	Inside     int      `json:"inside" doc:"Guests that are let in now"`
	Waiting    int      `json:"waiting" doc:"Guests that wait to be let in"`
}

// PortalCarryRequest puts a portal before a wireless network.
type PortalCarryRequest struct {
	Network string `json:"network" minLength:"1" maxLength:"63" doc:"By its name on the access points"`
	Where   string `json:"where,omitempty" maxLength:"2000" doc:"A selector: on which access points; wherever the network is offered when left out"`
	Off     bool   `json:"off,omitempty" doc:"Its stations are to be sent to no portal any more"`
	Change  int64  `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft; a new one when left out"`
	Why     string `json:"why,omitempty" maxLength:"500"`
}

// PortalPicture is a picture for a portal.
type PortalPicture struct {
	Picture []byte `json:"picture" maxLength:"360000" doc:"PNG or JPEG, at most 256 KiB and 1000 points a side, in base64; none when it is empty"`
}

// VoucherOrder is of what vouchers are made.
type VoucherOrder struct {
	Count   int    `json:"count" minimum:"1" maximum:"1000"`
	Minutes int    `json:"minutes,omitempty" minimum:"0" maximum:"527040" doc:"For which each lets in; as the portal says when left out"`
	Days    int    `json:"days,omitempty" minimum:"0" maximum:"366" doc:"Within which they must be used; 30 when left out"`
	Label   string `json:"label,omitempty" maxLength:"320" doc:"Whom they are for"`
}

// VoucherCodes are codes that were made. They can be read this once.
type VoucherCodes struct {
	Codes []string `json:"codes"`
}

// GuestVoucher is one that was made; its code is not kept.
type GuestVoucher struct {
	Number  int64      `json:"number"`
	Portal  string     `json:"portal"`
	Ends    string     `json:"ends_with" doc:"The last letters of its code"`
	Label   string     `json:"label,omitempty"`
	Minutes int        `json:"minutes"`
	MadeBy  string     `json:"made_by"`
	MadeAt  time.Time  `json:"made_at"`
	GoodTo  time.Time  `json:"good_to" doc:"When it must be used"`
	State   string     `json:"state" enum:"unused,used,taken-back,too-old"`
	UsedAt  *time.Time `json:"used_at,omitempty"`
}

// GuestStay is that of a guest who came, or asks to be let in.
type GuestStay struct {
	Number   int64      `json:"number"`
	Portal   string     `json:"portal"`
	Station  string     `json:"station" doc:"Its hardware address"`
	Name     string     `json:"name,omitempty" doc:"As he says; nobody checked it"`
	Visits   string     `json:"visits,omitempty" doc:"As he says"`
	Network  string     `json:"network"`
	Device   string     `json:"device,omitempty" doc:"The access point by which he came last"`
	Site     string     `json:"site,omitempty"`
	State    string     `json:"state" enum:"waiting,in,over,turned-away"`
	AskedAt  time.Time  `json:"asked_at"`
	InSince  *time.Time `json:"in_since,omitempty"`
	Until    *time.Time `json:"until,omitempty" doc:"When his time is, or was, over"`
	LetInBy  string     `json:"let_in_by,omitempty" doc:"Who let him in, or turned him away, where somebody did"`
	EndedBy  string     `json:"ended_by,omitempty" doc:"Who ended his time before it was over"`
	Why      string     `json:"why,omitempty" doc:"He was turned away"`
	RateKbps int        `json:"rate_kbps,omitempty"`
}

// GuestVerdict says what becomes of a guest who waits, or is in.
type GuestVerdict struct {
	Act     string `json:"act" enum:"let-in,turn-away,end"`
	Minutes int    `json:"minutes,omitempty" minimum:"0" maximum:"527040" doc:"For which he is let in; as the portal says when left out"`
	Why     string `json:"why,omitempty" maxLength:"800" doc:"He reads it when he is turned away"`
}
