// Package radio knows on which channels wireless networks (IEEE 802.11) may send in which country, how loud and how wide, and proposes which access point
// is to send on which. It computes: what is heard where is for others to bring.
package radio
