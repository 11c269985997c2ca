package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// ApplicationQuery says which uses of applications are added up, and by what.
type ApplicationQuery struct {
	Where, By, Application string
	Hours, Limit           int
}

// Applications tells which applications were used, as firewalls recognize them.
func (c *Client) Applications(ctx context.Context, q ApplicationQuery) (out v1.ApplicationUses, err error) {
	query := url.Values{}
	for name, text := range map[string]string{"where": q.Where, "by": q.By, "application": q.Application} {
		if text != "" {
			query.Set(name, text)
		}
	}
	for name, n := range map[string]int{"hours": q.Hours, "limit": q.Limit} {
		if n != 0 {
			query.Set(name, strconv.Itoa(n))
		}
	}
	return out, c.call(ctx, http.MethodGet, "/applications?"+query.Encode(), nil, &out)
}
