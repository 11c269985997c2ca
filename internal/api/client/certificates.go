package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// Certificates lists the certificates of the devices that a selector picks, those that end first before the others.
func (c *Client) Certificates(ctx context.Context, where string) (out v1.List[v1.DeviceCertificate], err error) {
	return out, c.call(ctx, http.MethodGet, "/certificates?where="+url.QueryEscape(where), nil, &out)
}

// RequestCertificate has a device make a new key for a place, and a request for a certificate of it.
func (c *Client) RequestCertificate(ctx context.Context, device, place string, names []string) (out v1.CertificateRequest, err error) {
	return out, c.call(ctx, http.MethodPost, placePath(device, place)+"/request", v1.CertificateNames{Names: names}, &out)
}

// ImportCertificate gives a device a certificate that another authority signed; with plan it is told what it is, and nothing is done.
func (c *Client) ImportCertificate(ctx context.Context, device, place string, in v1.CertificateFiles, plan bool) (out v1.CertificateImport, err error) {
	return out, c.call(ctx, http.MethodPut, placePath(device, place)+"?plan="+strconv.FormatBool(plan), in, &out)
}

func placePath(device, place string) string {
	return "/devices/" + url.PathEscape(device) + "/certificates/" + url.PathEscape(place)
}

// Authority is the certificate authority of the house.
func (c *Client) Authority(ctx context.Context) (out v1.Authority, err error) {
	return out, c.call(ctx, http.MethodGet, "/authority", nil, &out)
}
