package radius

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"strconv"

	"layeh.com/radius"
	"layeh.com/radius/rfc2865"
	"layeh.com/radius/rfc2868"
	"layeh.com/radius/rfc2869"
)

// Supplicant is a station that wants to join: it says who it is, and answers what it is asked (EAP, RFC 3748).
type Supplicant interface {
	First() []byte
	Answer(ctx context.Context, request []byte) ([]byte, error)
}

// Station is what an access point says of a station that wants to join.
type Station struct {
	Name    string // as it calls itself aloud
	MAC     string // of the station
	Network string // the address of the access point and the name of the network: 02-4C-53-00-00-01:Lantern Office
}

// Joins is the word of a server about a station.
type Joins struct {
	Accepted bool
	VLAN     int // into which it is to be put (RFC 3580 section 3.31), 0 where the server does not say
}

// mostRounds is how often a server may ask on.
const mostRounds = 40

// Join asks one server whether a station may join, and carries what the two say to each other (RFC 3579).
func (c *Client) Join(ctx context.Context, server string, st Station, who Supplicant) (Joins, error) {
	said, state := who.First(), []byte(nil)
	for range mostRounds {
		reply, err := c.round(ctx, server, st, said, state)
		if err != nil {
			return Joins{}, err
		}
		switch reply.Code {
		case radius.CodeAccessAccept:
			return Joins{Accepted: true, VLAN: vlanIn(reply)}, nil
		case radius.CodeAccessReject:
			return Joins{}, nil
		case radius.CodeAccessChallenge:
		default:
			return Joins{}, fmt.Errorf("the server answers with %v", reply.Code)
		}
		if said, err = who.Answer(ctx, rfc2869.EAPMessage_Get(reply)); err != nil {
			return Joins{}, err
		}
		state = rfc2865.State_Get(reply)
	}
	return Joins{}, fmt.Errorf("the server asks on after %d rounds", mostRounds)
}

// round is one question to the server and its answer.
func (c *Client) round(ctx context.Context, server string, st Station, said, state []byte) (*radius.Packet, error) {
	ctx, cancel := context.WithTimeout(ctx, c.Timeout)
	defer cancel()
	request := radius.New(radius.CodeAccessRequest, c.Secret)
	_, _ = rand.Read(request.Authenticator[:])
	err := errors.Join(rfc2865.UserName_SetString(request, st.Name), rfc2865.NASIdentifier_SetString(request, c.Name), rfc2865.ServiceType_Set(request, rfc2865.ServiceType_Value_FramedUser),
		rfc2865.CallingStationID_SetString(request, st.MAC), rfc2865.CalledStationID_SetString(request, st.Network), rfc2865.NASPortType_Set(request, rfc2865.NASPortType_Value_Wireless80211),
		rfc2865.FramedMTU_Set(request, 1200), rfc2869.EAPMessage_Set(request, said))
	if len(state) > 0 {
		err = errors.Join(err, rfc2865.State_Set(request, state))
	}
	if err != nil {
		return nil, err
	}
	if err := sign(request, request.Authenticator); err != nil {
		return nil, err
	}
	reply, err := radius.Exchange(ctx, request, server)
	if err != nil {
		return nil, err
	}
	return reply, verify(reply, request.Authenticator)
}

// vlanIn is the VLAN that an answer names: a tunnel of the type VLAN, by its number.
func vlanIn(reply *radius.Packet) int {
	const vlan = 13 // Tunnel-Type VLAN (RFC 3580 section 3.31)
	if _, kind := rfc2868.TunnelType_Get(reply); kind != vlan {
		return 0
	}
	_, id := rfc2868.TunnelPrivateGroupID_GetString(reply)
	n, err := strconv.Atoi(id)
	if err != nil || n < 1 || n > 4094 {
		return 0
	}
	return n
}
