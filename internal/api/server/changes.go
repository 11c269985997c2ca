package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/changes"
	"example.net/everypost/internal/store"
)

// NumberPath is the number of a change in an address.
type NumberPath struct {
	Number int64 `path:"number" minimum:"1" maximum:"9007199254740991"`
}

// Briefly asks for a change without what stays as it is while the change is pushed.
type Briefly struct {
	Brief bool `query:"brief" doc:"Answer without its edits and differences, which stay as they are while it is pushed; they are counted"`
}

// StepPath is a change of which the steps are followed.
type StepPath struct {
	NumberPath
	Briefly
}

// Seen carries the revision of a change that the caller has seen, so that nobody pushes what he has not.
type Seen struct {
	IfMatch string `header:"If-Match" maxLength:"40" doc:"Revision of the change that was seen; nothing is done when it has moved on"`
}

// listedEdits is how many edits and differences of a change a list of changes holds.
const listedEdits = 500

type changeOutput struct {
	ETag string `header:"ETag"`
	Body v1.Change
}

func (s *server) changeRoutes(api huma.API) {
	type listQuery struct {
		Device string   `query:"device" maxLength:"63" doc:"Only changes that touched the device"`
		State  []string `query:"state" maxItems:"9"`
		Cursor int64    `query:"cursor" minimum:"0" maximum:"9007199254740991" doc:"The member next of the page before"`
		Limit  int      `query:"limit" minimum:"1" maximum:"1000" default:"100"`
	}
	register(s, api, may(rights.See, rights.Changes), http.MethodGet, "/changes", "list-changes", "The changes, the newest first",
		func(ctx context.Context, in *listQuery) (*body[v1.List[v1.Change]], error) {
			if in.Device != "" {
				if err := s.onDevice(ctx, may(rights.See, rights.Changes), in.Device); err != nil {
					return nil, err
				}
			}
			list, next, err := s.changesSeen(ctx, store.ChangeQuery{Device: in.Device, States: in.State, Limit: in.Limit, Before: in.Cursor})
			if err != nil {
				return nil, err
			}
			out := listOf(list, func(c store.Change) v1.Change { return s.changeOut(ctx, c) })
			for i := range out.Body.Items {
				c := &out.Body.Items[i]
				c.Edits, c.Differences = c.Edits[:min(len(c.Edits), listedEdits)], c.Differences[:min(len(c.Differences), listedEdits)]
			}
			if next != 0 {
				out.Body.Next = strconv.FormatInt(next, 10)
			}
			return out, s.overlaps(ctx, list, out.Body.Items)
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes", "make-change", "Make a draft",
		func(ctx context.Context, in *body[v1.ChangeRequest]) (*changeOutput, error) {
			edits, err := s.editsIn(ctx, in.Body.Edits)
			if err != nil {
				return nil, err
			}
			if err := s.onEdits(ctx, edits); err != nil {
				return nil, err
			}
			c, err := s.Changes.Create(ctx, person(ctx).Name, strings.TrimSpace(in.Body.Why), edits)
			return s.changed(ctx, "draft", c, err)
		})
	register(s, api, may(rights.See, rights.Changes), http.MethodGet, "/changes/{number}", "get-change", "A change",
		func(ctx context.Context, in *StepPath) (*changeOutput, error) {
			c, err := s.seenChange(ctx, in.Number)
			if err != nil {
				return nil, err
			}
			if in.Brief {
				return s.progressOutput(ctx, c), nil
			}
			return s.changeOutput(ctx, c)
		})
	type editsInput struct {
		NumberPath
		Body v1.EditsRequest
	}
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/{number}/edits", "add-edits", "Add edits to a draft",
		func(ctx context.Context, in *editsInput) (*changeOutput, error) {
			edits, err := s.editsIn(ctx, in.Body.Edits)
			if err != nil {
				return nil, err
			}
			draft, err := s.ownDraft(ctx, in.Number)
			if err != nil {
				return nil, err
			}
			if err := s.onEdits(ctx, intent.Add(draft, edits...)); err != nil {
				return nil, err
			}
			c, err := s.Changes.Edit(ctx, in.Number, person(ctx).Name, edits)
			return s.changed(ctx, "edit", c, missing(err, fmt.Sprintf("change %d", in.Number)))
		})
	type takeOutInput struct {
		NumberPath
		Port  string `query:"port" required:"true" maxLength:"130"`
		Field string `query:"field" required:"true" maxLength:"48"`
	}
	register(s, api, may(rights.Change, rights.Ports), http.MethodDelete, "/changes/{number}/edits", "take-out-edit", "Take an edit out of a draft",
		func(ctx context.Context, in *takeOutInput) (*changeOutput, error) {
			port, err := network.ParseTarget(in.Port)
			if err != nil {
				return nil, fmt.Errorf("%w: %w", errInvalid, err)
			}
			if err := s.onChange(ctx, in.Number); err != nil {
				return nil, err
			}
			c, err := s.Changes.TakeOut(ctx, in.Number, person(ctx).Name, port, in.Field)
			return s.changed(ctx, "take-out", c, err)
		})
	type whyInput struct {
		NumberPath
		Body v1.WhyRequest
	}
	register(s, api, may(rights.Change, rights.Ports), http.MethodPut, "/changes/{number}/why", "explain-change", "Say why a change is made",
		func(ctx context.Context, in *whyInput) (*changeOutput, error) {
			if err := s.onChange(ctx, in.Number); err != nil {
				return nil, err
			}
			c, err := s.Changes.Explain(ctx, in.Number, person(ctx).Name, strings.TrimSpace(in.Body.Why))
			return s.changed(ctx, "explain", c, missing(err, fmt.Sprintf("change %d", in.Number)))
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/{number}/check", "check-change", "Check a draft on the network as it is",
		func(ctx context.Context, in *NumberPath) (*changeOutput, error) {
			if err := s.onChange(ctx, in.Number); err != nil {
				return nil, err
			}
			c, err := s.Changes.Check(ctx, in.Number)
			return s.changed(ctx, "check", c, missing(err, fmt.Sprintf("change %d", in.Number)))
		})
	type pushInput struct {
		StepPath
		Seen
		Body v1.PushRequest
	}
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/{number}/push", "push-change", "Push a checked change, on trial",
		func(ctx context.Context, in *pushInput) (*changeOutput, error) {
			if err := s.match(ctx, in.Number, in.Seen); err != nil {
				return nil, err
			}
			if err := s.onChange(ctx, in.Number); err != nil {
				return nil, err
			}
			o := changes.PushOptions{By: person(ctx).Name, Accept: in.Body.Accept, InWindow: in.Body.InWindow,
				Trial: time.Duration(in.Body.TrialSeconds) * time.Second, KeepAfter: time.Duration(in.Body.KeepSeconds) * time.Second}
			if in.Body.At != nil {
				o.At = *in.Body.At
			}
			c, err := s.Changes.Push(ctx, in.Number, o)
			return s.stepped(ctx, in.Brief, "push", c, missing(err, fmt.Sprintf("change %d", in.Number)))
		})
	type approveInput struct {
		NumberPath
		Seen
		Body v1.ApproveRequest
	}
	register(s, api, may(rights.Operate, rights.Changes), http.MethodPost, "/changes/{number}/approve", "approve-change", "Approve a change of somebody else",
		func(ctx context.Context, in *approveInput) (*changeOutput, error) {
			if err := s.match(ctx, in.Number, in.Seen); err != nil {
				return nil, err
			}
			seen, err := s.seenChange(ctx, in.Number)
			if err != nil {
				return nil, err
			}
			if err := s.Permission.Approve(person(ctx), seen); err != nil {
				return nil, err
			}
			c, err := s.Changes.Approve(ctx, in.Number, person(ctx).Name, strings.TrimSpace(in.Body.Why))
			return s.changed(ctx, "approve", c, missing(err, fmt.Sprintf("change %d", in.Number)))
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/{number}/withdraw", "withdraw-change", "Take a change back that waits to be pushed",
		func(ctx context.Context, in *whyInput) (*changeOutput, error) {
			if err := s.onChange(ctx, in.Number); err != nil {
				return nil, err
			}
			c, err := s.Changes.Withdraw(ctx, in.Number, person(ctx).Name, strings.TrimSpace(in.Body.Why))
			return s.changed(ctx, "withdraw", c, missing(err, fmt.Sprintf("change %d", in.Number)))
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/{number}/cancel", "cancel-push", "Stop a push under way, and undo what runs of it",
		func(ctx context.Context, in *StepPath) (*changeOutput, error) {
			if err := s.onChange(ctx, in.Number); err != nil {
				return nil, err
			}
			c, err := s.Changes.Cancel(ctx, in.Number, person(ctx).Name)
			return s.stepped(ctx, in.Brief, "cancel", c, missing(err, fmt.Sprintf("change %d", in.Number)))
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/{number}/keep", "keep-change", "Keep a change that is on trial",
		func(ctx context.Context, in *StepPath) (*changeOutput, error) {
			if err := s.onChange(ctx, in.Number); err != nil {
				return nil, err
			}
			c, err := s.Changes.Keep(ctx, in.Number, person(ctx).Name)
			return s.stepped(ctx, in.Brief, "keep", c, missing(err, fmt.Sprintf("change %d", in.Number)))
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/{number}/undo", "undo-change", "Undo a change that is on trial",
		func(ctx context.Context, in *StepPath) (*changeOutput, error) {
			if err := s.onChange(ctx, in.Number); err != nil {
				return nil, err
			}
			c, err := s.Changes.Undo(ctx, in.Number, person(ctx).Name)
			return s.stepped(ctx, in.Brief, "undo", c, missing(err, fmt.Sprintf("change %d", in.Number)))
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodDelete, "/changes/{number}", "discard-change", "Throw a draft away",
		func(ctx context.Context, in *NumberPath) (*struct{}, error) {
			return nil, s.act(ctx, "discard", "change "+strconv.FormatInt(in.Number, 10), s.onChange(ctx, in.Number), func(string) error {
				return missing(s.Changes.Discard(ctx, in.Number), fmt.Sprintf("change %d", in.Number))
			})
		})
}

// lookedThrough bounds how many changes are looked at for one page.
const lookedThrough = 5000

// changesSeen lists changes that who makes the request may see, as many as are asked for, and from where the next page goes on; 0
// where there is none. Where few of many are his, a page may be short, or empty, and go on all the same.
func (s *server) changesSeen(ctx context.Context, q store.ChangeQuery) (seen []store.Change, next int64, err error) {
	wanted, looked := q.Limit, 0
	for {
		q.Limit = max(wanted-len(seen), 100)
		list, err := s.Changes.List(ctx, q)
		if err != nil {
			return nil, 0, err
		}
		for _, c := range list {
			q.Before = c.Number
			if looked++; s.seesChange(ctx, c) {
				if seen = append(seen, c); len(seen) == wanted {
					return seen, c.Number, nil
				}
			}
		}
		if len(list) < q.Limit {
			return seen, 0, nil
		}
		if looked >= lookedThrough {
			return seen, q.Before, nil
		}
	}
}

// seenChange returns a change that who makes the request may see.
func (s *server) seenChange(ctx context.Context, number int64) (store.Change, error) {
	c, err := s.Changes.Get(ctx, number)
	if err == nil && !s.seesChange(ctx, c) {
		err = store.ErrNotFound
	}
	return c, missing(err, fmt.Sprintf("change %d", number))
}

// onChange tells whether who makes the request may do something with a change: every port of it must be his to change.
func (s *server) onChange(ctx context.Context, number int64) error {
	c, err := s.seenChange(ctx, number)
	if err != nil {
		return err
	}
	return s.onEdits(ctx, c.Edits)
}

// changed records what was done to a change and answers with it.
func (s *server) changed(ctx context.Context, action string, c store.Change, err error) (*changeOutput, error) {
	object := "change"
	if c.Number != 0 {
		object += " " + strconv.FormatInt(c.Number, 10)
	}
	if err != nil {
		s.audit(ctx, person(ctx).Name, action, object, outcome(err))
		return nil, err
	}
	out, err := s.changeOutput(ctx, c)
	detail := outcome(nil)
	if err == nil && (action == "draft" || action == "edit") {
		detail = sentence(out.Body.Differences)
	}
	s.audit(ctx, person(ctx).Name, action, object, detail)
	return out, err
}

// stepped is changed for a step in the life of a change, which may be answered in brief.
func (s *server) stepped(ctx context.Context, brief bool, action string, c store.Change, err error) (*changeOutput, error) {
	if err != nil || !brief {
		return s.changed(ctx, action, c, err)
	}
	s.audit(ctx, person(ctx).Name, action, "change "+strconv.FormatInt(c.Number, 10), outcome(nil))
	return s.progressOutput(ctx, c), nil
}

// auditedDifferences is how many differences of a draft are written into the audit log. All are in the change.
const auditedDifferences = 200

// sentence says differences in a line, for records.
func sentence(list []v1.Difference) string {
	parts := make([]string, 0, min(len(list), auditedDifferences)+1)
	for _, d := range list[:min(len(list), auditedDifferences)] {
		parts = append(parts, fmt.Sprintf("%s %s %s to %s", d.Port, d.Field, cmp.Or(d.Before, "nothing"), cmp.Or(d.After, "nothing")))
	}
	if more := len(list) - auditedDifferences; more > 0 {
		parts = append(parts, fmt.Sprintf("and %d more", more))
	}
	return strings.Join(parts, "; ")
}

func (s *server) match(ctx context.Context, number int64, in Seen) error {
	if in.IfMatch == "" {
		return nil
	}
	c, err := s.seenChange(ctx, number)
	if err != nil {
		return err
	}
	if in.IfMatch != etag(c) {
		return with(http.StatusPreconditionFailed, v1.ProblemStale, fmt.Errorf("change %d is no longer as you saw it: look at it again", number))
	}
	return nil
}

func etag(c store.Change) string { return `"` + strconv.FormatInt(c.UpdatedAt.UnixMicro(), 10) + `"` }

// progressOutput answers with how far a change is.
func (s *server) progressOutput(ctx context.Context, c store.Change) *changeOutput {
	out := progressOut(c)
	out.EditCount, out.DiffCount = len(c.Edits), len(s.Changes.Differences(ctx, c))
	return &changeOutput{ETag: etag(c), Body: out}
}

func (s *server) changeOutput(ctx context.Context, c store.Change) (*changeOutput, error) {
	out := []v1.Change{s.changeOut(ctx, c)}
	err := s.overlaps(ctx, []store.Change{c}, out)
	return &changeOutput{ETag: etag(c), Body: out[0]}, err
}

// overlaps fills in what other open changes set on the same things.
func (s *server) overlaps(ctx context.Context, list []store.Change, out []v1.Change) error {
	list = slices.DeleteFunc(slices.Clone(list), func(c store.Change) bool {
		return c.State == changes.Kept || c.State == changes.Undone || c.State == changes.Failed
	})
	if len(list) == 0 {
		return nil
	}
	found, err := s.Changes.Overlaps(ctx, list)
	if err != nil {
		return err
	}
	for i := range out {
		for _, o := range found[out[i].Number] {
			out[i].Overlaps = append(out[i].Overlaps, v1.Overlap{Change: o.Change, Owner: o.Owner, State: o.State, Port: o.Port.String(), Field: o.Field, Value: o.Value})
		}
	}
	return nil
}

func (s *server) editsIn(ctx context.Context, in []v1.Edit) ([]intent.Edit, error) {
	out := make([]intent.Edit, len(in))
	var details []*huma.ErrorDetail
	for i, e := range in {
		port, err := network.ParseTarget(e.Port)
		if err == nil {
			if e.Act == "" {
				if e.Value, err = s.sealed(ctx, port, e.Field, e.Value); err == nil {
					out[i], err = intent.New(port, e.Field, e.Value)
				}
			} else {
				out[i], err = intent.NewAct(port, e.Field, intent.Act(e.Act))
			}
		}
		if err != nil {
			details = append(details, &huma.ErrorDetail{Location: fmt.Sprintf("body.edits[%d]", i), Message: err.Error(), Value: e.Value})
		}
	}
	if len(details) > 0 {
		return nil, with(http.StatusUnprocessableEntity, v1.ProblemInvalid, fmt.Errorf("%s", details[0].Message), details...)
	}
	return out, nil
}

func editsOut(in []intent.Edit) []v1.Edit {
	out := make([]v1.Edit, len(in))
	for i, e := range in {
		out[i] = v1.Edit{Port: e.Port.String(), Field: e.Field, Value: e.Value, Act: string(e.Act)}
	}
	return out
}

func (s *server) changeOut(ctx context.Context, c store.Change) v1.Change {
	out := progressOut(c)
	out.Edits, out.Differences = editsOut(c.Edits), differencesOut(s.Changes.Differences(ctx, c))
	out.EditCount, out.DiffCount = len(out.Edits), len(out.Differences)
	return out
}

// progressOut is how far a change is, without its edits and differences.
func progressOut(c store.Change) v1.Change {
	out := v1.Change{
		Number: c.Number, Revision: c.UpdatedAt.UnixMicro(), State: c.State, Why: c.Why, Owner: c.Owner, CreatedAt: c.CreatedAt, UpdatedAt: c.UpdatedAt,
		Edits: []v1.Edit{}, Differences: []v1.Difference{}, Findings: []v1.Finding{}, Accepted: []v1.Acceptance{},
		Devices: []v1.ChangeDevice{}, PushedBy: c.PushedBy, TrialSeconds: c.TrialSecs, KeepSeconds: c.KeepSecs, EndedBy: c.EndedBy,
		Deadline: orNil(c.Deadline), EndedAt: orNil(c.EndedAt), Outcome: c.Outcome, Log: []v1.LogLine{},
	}
	for _, f := range c.Findings {
		ports := make([]string, len(f.Ports))
		for i, p := range f.Ports {
			ports[i] = p.String()
		}
		out.Findings = append(out.Findings, v1.Finding{ID: f.ID, Guard: f.Guard, Level: string(f.Level), Ports: ports,
			What: f.What, Why: f.Why, Remedy: f.Do, Fix: editsOut(f.Fix)})
	}
	for _, a := range c.Accepted {
		out.Accepted = append(out.Accepted, v1.Acceptance(a))
	}
	for _, d := range c.Devices {
		out.Devices = append(out.Devices, v1.ChangeDevice{Device: d.Device, Step: d.Step, Said: d.Said})
	}
	out.Editors, out.NeedsApproval = c.Editors, c.NeedsApproval
	for _, a := range c.Approvals {
		out.Approvals = append(out.Approvals, v1.Approval(a))
	}
	for _, w := range c.Windows {
		out.Windows = append(out.Windows, v1.ChangeWindow{Rule: w.Rule, Devices: w.Devices, Hours: w.Hours, Open: w.Open, Next: orNil(w.Next)})
	}
	if w := c.Waits; w != nil {
		out.Waits = &v1.Waits{By: w.By, Since: w.Since, At: orNil(w.At), InWindow: w.InWindow, Approval: w.Approval && len(c.Approvals) == 0, TrialSeconds: w.TrialSecs, KeepSeconds: w.KeepSecs}
	}
	for _, l := range c.Log {
		out.Log = append(out.Log, v1.LogLine(l))
	}
	return out
}

func differencesOut(in []changes.Difference) []v1.Difference {
	out := make([]v1.Difference, len(in))
	for i, d := range in {
		out[i] = v1.Difference{Port: d.Port.String(), Field: d.Field, Before: d.Before, After: d.After, Layer: d.Layer}
	}
	return out
}

func orNil(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
