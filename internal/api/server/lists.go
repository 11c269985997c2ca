package server

import (
	"cmp"
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"math"
	"net/http"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/permission"
)

// ListQuery is what every list of the network takes.
type ListQuery struct {
	Where  string `query:"where" maxLength:"4000" doc:"A selector: which of them"`
	Sort   string `query:"sort" maxLength:"200" doc:"Fields to sort by, the first first; a minus before one turns it round: -port.poe.watts,name"`
	Fields string `query:"fields" maxLength:"500" doc:"Which members of the items to send, separated by commas; all when left out"`
	Count  string `query:"count" maxLength:"200" doc:"Fields by whose values to count those that match: kind,health"`
	Limit  int    `query:"limit" minimum:"0" maximum:"10000" default:"1000"`
	Offset int    `query:"offset" minimum:"0" maximum:"100000000" doc:"How many to leave out; for jumping into the middle of a list"`
	Cursor string `query:"cursor" maxLength:"100" doc:"The member next of the page before"`
}

// maxOffset is how deep a list can be jumped into: as the contract says.
const maxOffset = 100_000_000

// asked is the question for things of a noun that a selector picks, of what there is for who makes the request. It is the one
// way from a text that somebody gives to a question: nobody is answered by what he may not see. needs are rights besides that to
// see the noun.
func (s *server) asked(ctx context.Context, subject selector.Noun, text string, needs ...need) (catalog.Query, error) {
	return s.askedIn(ctx, catalog.Network, subject, text, nil, needs...)
}

func (s *server) askedIn(ctx context.Context, l *selector.Language, subject selector.Noun, text string, besides []*selector.Field, needs ...need) (catalog.Query, error) {
	q := catalog.Query{Limit: math.MaxInt, Now: time.Now()}
	e, err := l.Parse(text)
	if err != nil {
		return q, err
	}
	if q.Within, err = permission.Bound(person(ctx), subject, e, besides, needs...); err != nil {
		return q, err
	}
	q.Where, err = s.Groups.Expand(ctx, e)
	return q, err
}

// query reads the query for a list of a noun, of what there is for who makes the request.
func (s *server) query(ctx context.Context, in *ListQuery, subject selector.Noun) (q catalog.Query, err error) {
	order, err := catalog.ParseOrder(in.Sort, subject)
	if err != nil {
		return q, err
	}
	counts, err := catalog.ParseFields(in.Count, subject)
	if err != nil {
		return q, err
	}
	besides := slices.Clone(counts)
	for _, o := range order {
		besides = append(besides, o.Field)
	}
	if q, err = s.askedIn(ctx, catalog.Network, subject, in.Where, besides); err != nil {
		return q, err
	}
	q.Order, q.Counts, q.Offset, q.Limit = order, counts, in.Offset, in.Limit
	if in.Fields != "" && len(membersOf(itemTypes[subject], in.Fields)) == 0 {
		return q, fmt.Errorf("the items have no member of %q: that is %w", in.Fields, errInvalid)
	}
	if in.Cursor != "" {
		b, err := base64.RawURLEncoding.DecodeString(in.Cursor)
		offset, convErr := strconv.Atoi(string(b))
		if err != nil || convErr != nil || offset < 0 || offset > maxOffset {
			return q, fmt.Errorf("the cursor is %w: use the member next of a page as it is", errInvalid)
		}
		q.Offset = offset
	}
	return q, nil
}

// page turns the answer to a query into a page of the interface.
func page[R, T any](q catalog.Query, r catalog.Result[R], convert func(R) T) *body[v1.List[T]] {
	out := v1.List[T]{Items: make([]T, len(r.Rows)), Total: r.Total, All: r.All}
	for i, row := range r.Rows {
		out.Items[i] = convert(row)
	}
	if end := q.Offset + len(r.Rows); end < r.Total && len(r.Rows) > 0 {
		out.Next = base64.RawURLEncoding.EncodeToString([]byte(strconv.Itoa(end)))
	}
	for i, f := range q.Counts {
		if out.Counts == nil {
			out.Counts = map[string][]v1.Count{}
		}
		list := []v1.Count{}
		for value, n := range r.Counts[i] {
			list = append(list, v1.Count{Value: value, Count: n})
		}
		slices.SortFunc(list, func(a, b v1.Count) int { return cmp.Or(b.Count-a.Count, cmp.Compare(a.Value, b.Value)) })
		out.Counts[f.Name] = list
	}
	return &body[v1.List[T]]{out}
}

// itemTypes are what the lists of nouns hold.
var itemTypes = map[selector.Noun]reflect.Type{
	selector.Site: reflect.TypeFor[v1.Site](), selector.Device: reflect.TypeFor[v1.Device](), selector.Port: reflect.TypeFor[v1.Port](),
	selector.Client: reflect.TypeFor[v1.NetworkClient](), selector.Link: reflect.TypeFor[v1.Link](),
}

// membersOf lists the members of a type that are wanted by their names in JSON, separated by commas.
func membersOf(t reflect.Type, wanted string) []reflect.StructField {
	var out []reflect.StructField
	for _, f := range reflect.VisibleFields(t) {
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if !f.Anonymous && slices.Contains(strings.Split(wanted, ","), name) {
			out = append(out, f)
		}
	}
	return out
}

// onlyFields is a transformer that leaves of the items of a list what the query parameter fields asks for.
func onlyFields(ctx huma.Context, _ string, v any) (any, error) {
	wanted := ctx.Query("fields")
	list := reflect.ValueOf(v)
	if wanted == "" || list.Kind() != reflect.Struct || !strings.HasPrefix(list.Type().Name(), "List[") {
		return v, nil
	}
	items := list.FieldByName("Items")
	var members [][]int
	var types []reflect.StructField
	for _, f := range membersOf(items.Type().Elem(), wanted) {
		members = append(members, f.Index)
		types = append(types, reflect.StructField{Name: f.Name, Type: f.Type, Tag: f.Tag})
	}
	part := reflect.StructOf(types)
	out := reflect.MakeSlice(reflect.SliceOf(part), items.Len(), items.Len())
	for i := range items.Len() {
		for j, index := range members {
			out.Index(i).Field(j).Set(items.Index(i).FieldByIndex(index))
		}
	}
	answer := map[string]any{"items": out.Interface()}
	for _, f := range reflect.VisibleFields(list.Type()) {
		name, omit, _ := strings.Cut(f.Tag.Get("json"), ",")
		if value := list.FieldByIndex(f.Index); name != "items" && (omit == "" || !value.IsZero()) {
			answer[name] = value.Interface()
		}
	}
	return answer, nil
}

func (s *server) selectorRoutes(api huma.API) {
	type languageQuery struct {
		Of string `query:"of" enum:"network,log" default:"network" doc:"What is asked: the network as it is, or what happened in it"`
	}
	register(s, api, signedIn, http.MethodGet, "/fields", "list-fields", "By what things can be picked, sorted and counted",
		func(_ context.Context, in *languageQuery) (*body[v1.List[v1.Field]], error) {
			return listOf(languageOf(in.Of).Fields(), fieldOut), nil
		})
	type completeQuery struct {
		Of   string `query:"of" enum:"network,log" default:"network"`
		Text string `query:"text" maxLength:"4000"`
		At   int    `query:"at" minimum:"0" maximum:"4000" doc:"Where the cursor stands, in characters from 0"`
	}
	register(s, api, signedIn, http.MethodGet, "/selectors/completion", "complete-selector", "How an expression may go on",
		func(ctx context.Context, in *completeQuery) (*body[v1.Completion], error) {
			c := languageOf(in.Of).Complete(in.Text, in.At, func(f *selector.Field) []string {
				if catalog.IsGroup(f) {
					return s.groupNames(ctx)
				}
				return s.Inventory.Values(f, within(ctx, rights.See, permission.FeatureOf(f.Noun)))
			})
			out := v1.Completion{From: c.From, To: c.To, Candidates: []v1.Candidate{}}
			for _, x := range c.Candidates {
				out.Candidates = append(out.Candidates, v1.Candidate(x))
			}
			return &body[v1.Completion]{out}, nil
		})
	type readQuery struct {
		Text string `query:"text" maxLength:"4000"`
	}
	register(s, api, signedIn, http.MethodGet, "/selectors/reading", "read-selector", "How an expression is read, and how many it picks",
		func(ctx context.Context, in *readQuery) (*body[v1.Reading], error) {
			e, err := catalog.Network.Parse(in.Text)
			var fault *selector.Error
			if errors.As(err, &fault) {
				return &body[v1.Reading]{v1.Reading{Fault: (*v1.Fault)(fault)}}, nil
			}
			if err != nil {
				return nil, err
			}
			of := func(n selector.Noun) catalog.Query { // none of what cannot be asked so
				q, err := s.asked(ctx, n, in.Text)
				if err != nil {
					q.Where = selector.Not{Of: selector.All{}}
				}
				q.Limit = 0
				return q
			}
			return &body[v1.Reading]{v1.Reading{Expression: e.String(), Sites: s.Inventory.Sites(of(selector.Site)).Total,
				Devices: s.Inventory.Devices(of(selector.Device)).Total, Ports: s.Inventory.Ports(of(selector.Port)).Total,
				Clients: s.Inventory.Clients(of(selector.Client)).Total, Links: s.Inventory.Links(of(selector.Link)).Total}}, nil
		})
}

func languageOf(what string) *selector.Language {
	if what == "log" {
		return catalog.Log
	}
	return catalog.Network
}

func fieldOut(f *selector.Field) v1.Field {
	out := v1.Field{Name: f.Name, Of: f.Noun.String(), Type: string(f.Type), Many: f.Many, Choices: f.Choices, Help: f.Help}
	for _, o := range f.Type.Operators() {
		out.Operators = append(out.Operators, string(o))
	}
	return out
}

// selectorProblem tells where an expression is wrong, so that it can be marked there.
func selectorProblem(err error) error {
	var e *selector.Error
	if !errors.As(err, &e) {
		return with(http.StatusUnprocessableEntity, v1.ProblemSelector, err)
	}
	return with(http.StatusUnprocessableEntity, v1.ProblemSelector, err,
		&huma.ErrorDetail{Location: fmt.Sprintf("where:%d-%d", e.At, e.End), Message: e.Problem, Value: e.Hint})
}
