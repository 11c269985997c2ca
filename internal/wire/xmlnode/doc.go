// Package xmlnode is a small, bounded tree of namespaced XML elements: what NETCONF messages are made of.
//
// It knows nothing of NETCONF or of the product. It parses with a scanner of its own, which a test holds against the
// standard library's decoder and which is several times as fast, under limits on depth and number of elements. It encodes
// by appending, declaring a namespace only where it changes. Comments, processing instructions and document types are
// refused or dropped as RFC 6241 section 3 demands.
package xmlnode
