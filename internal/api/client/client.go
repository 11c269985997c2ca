// Package client is the Go client of the service. The command line is built on it.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	v1 "example.net/everypost/internal/api/v1"
)

// Client speaks to one service. Its fields are set before use.
type Client struct {
	TryRole string // a role to be treated as; nothing is done then
	Base    string // such as http://127.0.0.1:8490
	Token   string
	HTTP    *http.Client // http.DefaultClient when nil
	// Clean is applied to every text of an answer, where it is not nil: for showing what others chose, such as names that devices
	// tell.
	Clean func(string) string
}

// Problem is an error that the service told (RFC 9457).
type Problem struct {
	Type   string   `json:"type"`
	Title  string   `json:"title"`
	Status int      `json:"status"`
	Detail string   `json:"detail"`
	Errors []Detail `json:"errors"`
}

// Detail is one thing that is wrong.
type Detail struct {
	Location string `json:"location"`
	Message  string `json:"message"`
}

func (p *Problem) Error() string {
	s := p.Detail
	if s == "" {
		s = p.Title
	}
	for _, d := range p.Errors {
		if !strings.Contains(s, d.Message) {
			s += "\n  " + strings.TrimPrefix(d.Location, "body.") + ": " + d.Message
		}
	}
	return s
}

// Unreachable tells that the service itself did not answer.
type Unreachable struct {
	Base string
	Err  error
}

func (u *Unreachable) Error() string {
	return fmt.Sprintf("the service at %s does not answer: %v", u.Base, u.Err)
}
func (u *Unreachable) Unwrap() error { return u.Err }

const maxAnswer = 256 << 20 // bytes

func (c *Client) http() *http.Client {
	if c.HTTP != nil {
		return c.HTTP
	}
	return http.DefaultClient
}

func (c *Client) request(ctx context.Context, method, path string, in any) (*http.Request, error) {
	var body io.Reader
	if in != nil {
		b, err := json.Marshal(in)
		if err != nil {
			return nil, err
		}
		body = bytes.NewReader(b)
	}
	r, err := http.NewRequestWithContext(ctx, method, strings.TrimRight(c.Base, "/")+"/api/v1"+path, body)
	if err != nil {
		return nil, err
	}
	if in != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	if c.Token != "" {
		r.Header.Set("Authorization", "Bearer "+c.Token)
	}
	if c.TryRole != "" {
		r.Header.Set(v1.TryRoleHeader, c.TryRole)
	}
	return r, nil
}

func (c *Client) send(r *http.Request) (*http.Response, error) {
	resp, err := c.http().Do(r)
	if err != nil {
		if r.Context().Err() != nil {
			return nil, context.Cause(r.Context())
		}
		return nil, &Unreachable{c.Base, errors.Unwrap(err)}
	}
	if resp.StatusCode < 300 {
		return resp, nil
	}
	return nil, problemOf(resp)
}

// problemOf reads the problem with which a request was refused.
func problemOf(resp *http.Response) *Problem {
	defer func() { _ = resp.Body.Close() }()
	p := &Problem{Status: resp.StatusCode, Title: resp.Status}
	b, _ := io.ReadAll(io.LimitReader(resp.Body, 1<<20))
	_ = json.Unmarshal(b, p) // what is no problem document still has its status
	return p
}

// upload sends a file as it is, however large it is, and decodes the answer to out.
func (c *Client) upload(ctx context.Context, method, path string, file io.Reader, out any) error {
	r, err := c.request(ctx, method, path, nil)
	if err != nil {
		return err
	}
	r.Body, r.ContentLength = io.NopCloser(file), -1
	r.Header.Set("Content-Type", "application/octet-stream")
	return c.exchange(r, out)
}

// call sends in, if not nil, and decodes the answer to out, if not nil.
func (c *Client) call(ctx context.Context, method, path string, in, out any) error {
	r, err := c.request(ctx, method, path, in)
	if err != nil {
		return err
	}
	return c.exchange(r, out)
}

func (c *Client) exchange(r *http.Request, out any) error {
	resp, err := c.send(r)
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	if out == nil {
		_, err = io.Copy(io.Discard, io.LimitReader(resp.Body, maxAnswer))
		return err
	}
	err = json.NewDecoder(io.LimitReader(resp.Body, maxAnswer)).Decode(out)
	c.clean(out)
	if err != nil {
		return fmt.Errorf("the service at %s answered what cannot be read: %w", c.Base, err)
	}
	return nil
}

func get[T any](ctx context.Context, c *Client, path string, query url.Values) (out T, err error) {
	if len(query) > 0 {
		path += "?" + query.Encode()
	}
	return out, c.call(ctx, http.MethodGet, path, nil, &out)
}

func post[T any](ctx context.Context, c *Client, path string, in any) (out T, err error) {
	return out, c.call(ctx, http.MethodPost, path, in, &out)
}

// SignInToken makes a token with a password.
func (c *Client) SignInToken(ctx context.Context, in v1.TokenSignIn) (v1.NewToken, error) {
	return post[v1.NewToken](ctx, c, "/sign-in-token", in)
}

// WhoAmI tells who the token belongs to.
func (c *Client) WhoAmI(ctx context.Context) (v1.Person, error) {
	return get[v1.Person](ctx, c, "/session", nil)
}

// AddUser makes a user.
func (c *Client) AddUser(ctx context.Context, in v1.NewUser) error {
	return c.call(ctx, http.MethodPost, "/users", in, nil)
}

// Query is what a list can be asked. The zero Query asks for all.
type Query struct {
	Where  string // a selector
	Sort   string // such as "-port.poe.watts,name"
	Count  string // fields by whose values to count
	Limit  int    // 0: as many as come in one answer
	Offset int
}

func (q Query) values() url.Values {
	v := url.Values{}
	for name, text := range map[string]string{"where": q.Where, "sort": q.Sort, "count": q.Count} {
		if text != "" {
			v.Set(name, text)
		}
	}
	if q.Limit == 0 {
		q.Limit = 10_000
	}
	v.Set("limit", strconv.Itoa(q.Limit))
	if q.Offset != 0 {
		v.Set("offset", strconv.Itoa(q.Offset))
	}
	return v
}

// all reads a list page by page, unless the query says how many.
func all[T any](ctx context.Context, c *Client, path string, q Query) (v1.List[T], error) {
	values := q.values()
	list, err := get[v1.List[T]](ctx, c, path, values)
	for err == nil && list.Next != "" && q.Limit == 0 {
		values.Del("offset")
		values.Set("cursor", list.Next)
		var more v1.List[T]
		more, err = get[v1.List[T]](ctx, c, path, values)
		list.Items, list.Next = append(list.Items, more.Items...), more.Next
	}
	return list, err
}

// Audit lists entries of the audit log in which a text stands, the newest first.
func (c *Client) Audit(ctx context.Context, text string, limit int) (v1.List[v1.AuditEntry], error) {
	return get[v1.List[v1.AuditEntry]](ctx, c, "/audit", url.Values{"text": {text}, "limit": {strconv.Itoa(limit)}})
}

// VerifyAudit holds the audit log against its chain of hashes.
func (c *Client) VerifyAudit(ctx context.Context) (v1.AuditVerdict, error) {
	return get[v1.AuditVerdict](ctx, c, "/audit/verdict", nil)
}

// Sites lists the sites.
func (c *Client) Sites(ctx context.Context, q Query) (v1.List[v1.Site], error) {
	return all[v1.Site](ctx, c, "/sites", q)
}

// PutSite makes or changes a site.
func (c *Client) PutSite(ctx context.Context, name string, in v1.SiteRequest) error {
	return c.call(ctx, http.MethodPut, "/sites/"+url.PathEscape(name), in, nil)
}

// RemoveSite removes a site that holds no devices.
func (c *Client) RemoveSite(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/sites/"+url.PathEscape(name), nil, nil)
}

// MergeSite moves all devices of a site to another, and removes the one.
func (c *Client) MergeSite(ctx context.Context, name, into string) error {
	return c.call(ctx, http.MethodPost, "/sites/"+url.PathEscape(name)+"/merge", v1.MergeRequest{Into: into}, nil)
}

// Devices lists devices.
func (c *Client) Devices(ctx context.Context, q Query) (v1.List[v1.Device], error) {
	return all[v1.Device](ctx, c, "/devices", q)
}

// Describe sets the site and the particulars of a device.
func (c *Client) Describe(ctx context.Context, device string, in v1.DeviceDescription) error {
	return c.call(ctx, http.MethodPut, "/devices/"+url.PathEscape(device)+"/description", in, nil)
}

// Retire takes a device out of service.
func (c *Client) Retire(ctx context.Context, device string) error {
	return c.call(ctx, http.MethodPost, "/devices/"+url.PathEscape(device)+"/retire", nil, nil)
}

// Reinstate takes a retired device into service again.
func (c *Client) Reinstate(ctx context.Context, device string) error {
	return c.call(ctx, http.MethodPost, "/devices/"+url.PathEscape(device)+"/reinstate", nil, nil)
}

// Forget removes a retired device.
func (c *Client) Forget(ctx context.Context, device string) error {
	return c.call(ctx, http.MethodDelete, "/devices/"+url.PathEscape(device), nil, nil)
}

// Fields lists by what things can be picked: of the network, or of what happened ("log").
func (c *Client) Fields(ctx context.Context, of string) (v1.List[v1.Field], error) {
	return get[v1.List[v1.Field]](ctx, c, "/fields", url.Values{"of": {of}})
}

// Complete tells how an expression may go on at a place.
func (c *Client) Complete(ctx context.Context, text string, at int) (v1.Completion, error) {
	return get[v1.Completion](ctx, c, "/selectors/completion", url.Values{"text": {text}, "at": {strconv.Itoa(at)}})
}

// Log lists what happened, the newest first.
func (c *Client) Log(ctx context.Context, where string, limit int) (v1.List[v1.Event], error) {
	return get[v1.List[v1.Event]](ctx, c, "/event-log", url.Values{"where": {where}, "limit": {strconv.Itoa(limit)}})
}

// Device returns a device with its front and ports.
func (c *Client) Device(ctx context.Context, name string) (v1.DeviceDetail, error) {
	return get[v1.DeviceDetail](ctx, c, "/devices/"+url.PathEscape(name), nil)
}

// Configuration returns what a device runs, in its own form: as last read, or asked now with every default written out.
func (c *Client) Configuration(ctx context.Context, device string, defaults bool) (string, error) {
	path := "/devices/" + url.PathEscape(device) + "/configuration"
	if defaults {
		path += "?defaults=true"
	}
	b, err := c.raw(ctx, path)
	return string(b), err
}

// raw reads what is not JSON.
func (c *Client) raw(ctx context.Context, path string) ([]byte, error) {
	r, err := c.request(ctx, http.MethodGet, path, nil)
	if err != nil {
		return nil, err
	}
	resp, err := c.send(r)
	if err != nil {
		return nil, err
	}
	defer func() { _ = resp.Body.Close() }()
	return io.ReadAll(io.LimitReader(resp.Body, maxAnswer))
}

// Ports lists ports.
func (c *Client) Ports(ctx context.Context, q Query) (v1.List[v1.Port], error) {
	return all[v1.Port](ctx, c, "/ports", q)
}

// Clients lists end stations.
func (c *Client) Clients(ctx context.Context, q Query) (v1.List[v1.NetworkClient], error) {
	return all[v1.NetworkClient](ctx, c, "/clients", q)
}

// NameClient gives an end station a name; "" takes it back.
func (c *Client) NameClient(ctx context.Context, mac, name string) error {
	return c.call(ctx, http.MethodPut, "/clients/"+url.PathEscape(mac)+"/name", v1.NameRequest{Name: name}, nil)
}

// Probe asks an address for its host key.
func (c *Client) Probe(ctx context.Context, address string) (v1.ProbeResult, error) {
	return post[v1.ProbeResult](ctx, c, "/host-keys", v1.Probe{Address: address})
}

// Enrol enrols a device.
func (c *Client) Enrol(ctx context.Context, in v1.Enrolment) (v1.DeviceDetail, error) {
	return post[v1.DeviceDetail](ctx, c, "/devices", in)
}

// Pin accepts another host key of a device.
func (c *Client) Pin(ctx context.Context, device, hostKey string) error {
	return c.call(ctx, http.MethodPut, "/devices/"+url.PathEscape(device)+"/host-key", v1.Pin{HostKey: hostKey}, nil)
}

// SetDeviceLogin says as whom and with which password the service logs in to a device.
func (c *Client) SetDeviceLogin(ctx context.Context, device string, in v1.DeviceLogin) error {
	return c.call(ctx, http.MethodPut, "/devices/"+url.PathEscape(device)+"/login", in, nil)
}

// Discover begins a search for devices.
func (c *Client) Discover(ctx context.Context, in v1.DiscoveryRequest) (v1.Discovery, error) {
	return post[v1.Discovery](ctx, c, "/discoveries", in)
}

// Discoveries lists the last searches, the newest first.
func (c *Client) Discoveries(ctx context.Context) (v1.List[v1.Discovery], error) {
	return get[v1.List[v1.Discovery]](ctx, c, "/discoveries", nil)
}

// CancelDiscovery ends a search.
func (c *Client) CancelDiscovery(ctx context.Context, number int64) error {
	return c.call(ctx, http.MethodPost, "/discoveries/"+strconv.FormatInt(number, 10)+"/cancel", nil, nil)
}

// FollowDiscovery calls f with a search now and as it goes on, until it has ended.
func (c *Client) FollowDiscovery(ctx context.Context, number int64, f func(v1.Discovery)) (v1.Discovery, error) {
	for {
		list, err := c.Discoveries(ctx)
		if err != nil {
			return v1.Discovery{}, err
		}
		for _, d := range list.Items {
			if d.Number != number {
				continue
			}
			f(d)
			if d.State != "running" {
				return d, nil
			}
		}
		step, cancel := context.WithTimeout(ctx, 2*time.Second)
		err = c.Events(step, 0, func(e v1.Event) bool { return e.Kind != "search" })
		if err != nil && step.Err() == nil {
			<-time.After(200 * time.Millisecond)
		}
		cancel()
		if ctx.Err() != nil {
			return v1.Discovery{}, context.Cause(ctx)
		}
	}
}

// Found lists what was found and waits to be accepted.
func (c *Client) Found(ctx context.Context) (v1.List[v1.FoundDevice], error) {
	return get[v1.List[v1.FoundDevice]](ctx, c, "/found-devices", nil)
}

// Accept enrols found devices. Each has a result of its own.
func (c *Client) Accept(ctx context.Context, list []v1.DeviceAcceptance) (v1.List[v1.AcceptResult], error) {
	return post[v1.List[v1.AcceptResult]](ctx, c, "/found-devices/accept", v1.AcceptRequest{Devices: list})
}

// Dismiss forgets found devices.
func (c *Client) Dismiss(ctx context.Context, addresses []string) error {
	return c.call(ctx, http.MethodPost, "/found-devices/dismiss", v1.DismissRequest{Addresses: addresses}, nil)
}

func changePath(number int64, action string) string {
	return "/changes/" + strconv.FormatInt(number, 10) + action
}

// Changes lists changes, the newest first: those that touched a device, or all.
func (c *Client) Changes(ctx context.Context, device string) (v1.List[v1.Change], error) {
	return get[v1.List[v1.Change]](ctx, c, "/changes", url.Values{"device": {device}})
}

// Change returns a change.
func (c *Client) Change(ctx context.Context, number int64) (v1.Change, error) {
	return get[v1.Change](ctx, c, changePath(number, ""), nil)
}

// MakeChange makes a draft.
func (c *Client) MakeChange(ctx context.Context, in v1.ChangeRequest) (v1.Change, error) {
	return post[v1.Change](ctx, c, "/changes", in)
}

// AddEdits adds edits to a draft.
func (c *Client) AddEdits(ctx context.Context, number int64, edits []v1.Edit) (v1.Change, error) {
	return post[v1.Change](ctx, c, changePath(number, "/edits"), v1.EditsRequest{Edits: edits})
}

// Check checks a draft.
func (c *Client) Check(ctx context.Context, number int64) (v1.Change, error) {
	return post[v1.Change](ctx, c, changePath(number, "/check"), nil)
}

// brief asks for an answer without edits and differences, which may be thousands.
const brief = "?brief=true"

// Push pushes a checked change, if it is still at that revision (0: at any). What it returns, and Cancel, Keep and Undo do, is
// without edits and differences.
func (c *Client) Push(ctx context.Context, number, revision int64, in v1.PushRequest) (out v1.Change, err error) {
	r, err := c.request(ctx, http.MethodPost, changePath(number, "/push")+brief, in)
	if err != nil {
		return out, err
	}
	if revision != 0 {
		r.Header.Set("If-Match", `"`+strconv.FormatInt(revision, 10)+`"`)
	}
	return out, c.exchange(r, &out)
}

// Cancel stops a push under way.
func (c *Client) Cancel(ctx context.Context, number int64) (v1.Change, error) {
	return post[v1.Change](ctx, c, changePath(number, "/cancel")+brief, nil)
}

// Keep keeps a change that is on trial.
func (c *Client) Keep(ctx context.Context, number int64) (v1.Change, error) {
	return post[v1.Change](ctx, c, changePath(number, "/keep")+brief, nil)
}

// Undo undoes a change that is on trial.
func (c *Client) Undo(ctx context.Context, number int64) (v1.Change, error) {
	return post[v1.Change](ctx, c, changePath(number, "/undo")+brief, nil)
}

// Discard throws a draft away.
func (c *Client) Discard(ctx context.Context, number int64) error {
	return c.call(ctx, http.MethodDelete, changePath(number, ""), nil, nil)
}
