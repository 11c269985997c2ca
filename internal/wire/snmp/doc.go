// Package snmp answers questions by SNMPv2c (RFC 3416, with the communities of RFC 3584) and SNMPv3 (RFC 3412, with the
// user-based security model of RFC 3414, AES of RFC 3826 and SHA-256 of RFC 7860) over UDP: the agent's end of the protocol.
//
// It knows nothing of the product. Which objects there are is told by whoever uses it. Messages are encoded and decoded by
// gosnmp; what an agent does with them is here.
package snmp
