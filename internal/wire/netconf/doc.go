// Package netconf speaks NETCONF (RFC 6241) over SSH (RFC 6242), both ends of it.
//
// The layers, each knowing only the one below:
//
//	framing   end-of-message and chunked framing of bounded messages (RFC 6242 section 4)
//	message   hello, rpc, rpc-reply, rpc-error, notification as values
//	Session   the client's side: pipelined requests matched by message-id, notifications
//	Server    the other side: a Handler answers requests
//	ssh       how both are carried
//
// It knows no data model and nothing of the product. Everything read from a peer is bounded; every wait ends with its
// context.
package netconf
