package changes

import (
	"context"
	"fmt"
	"slices"

	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// byRow has edits of tables be edits of their rows, on the network as a draft will make it, and notes what each row is now: so
// that it is noticed where somebody else changes the same row meanwhile.
func (s *Service) byRow(ctx context.Context, edits, draft []intent.Edit) ([]intent.Edit, error) {
	if !slices.ContainsFunc(edits, intent.OfTable) {
		return edits, nil
	}
	now, err := s.rowsNow(ctx)
	if err != nil {
		return nil, err
	}
	out := intent.ByRow(edits, func(on network.PortRef, table string) []setting.Row {
		rows := network.Settings{}
		for _, r := range now(on, table) {
			rows[setting.RowName(table, r.Number)] = r.Text
		}
		for _, e := range draft {
			if of, _, ok := setting.TableOf(e.Field); ok && of == table && e.Port == on {
				rows = rows.With(e.Field, e.Value, "")
			}
		}
		return setting.RowsOf(rows, table)
	})
	out = slices.Clone(out)
	for i, e := range out {
		if intent.IsRow(e) {
			out[i].Was = rowNow(now, e)
		}
	}
	return out, nil
}

// rowsNow returns what tells which rows tables have: on devices as they run, on layers as they say.
func (s *Service) rowsNow(ctx context.Context) (func(on network.PortRef, table string) []setting.Row, error) {
	stage, err := s.layers.Stage(ctx, []string{})
	if err != nil {
		return nil, err
	}
	said := rowsSaid(stage.Layers)
	return func(on network.PortRef, table string) []setting.Row {
		if intent.OnLayer(on) {
			return said(on, table)
		}
		v, _ := s.fleet.View(on.Device)
		return rowsOn(v.Config)(on, table)
	}, nil
}

func rowNow(now func(on network.PortRef, table string) []setting.Row, e intent.Edit) string {
	table, number, _ := setting.TableOf(e.Field)
	for _, r := range now(e.Port, table) {
		if r.Number == number {
			return r.Text
		}
	}
	return ""
}

// collisions finds rows of tables that somebody else changed since they were drafted.
func (s *Service) collisions(ctx context.Context, edits []intent.Edit) ([]guard.Finding, error) {
	if !slices.ContainsFunc(edits, intent.IsRow) {
		return nil, nil
	}
	now, err := s.rowsNow(ctx)
	if err != nil {
		return nil, err
	}
	var out []guard.Finding
	for _, c := range intent.Collisions(edits, func(e intent.Edit) string { return rowNow(now, e) }) {
		_, number, _ := setting.TableOf(c.Edit.Field)
		is := fmt.Sprintf("it is %q now", c.Now)
		if c.Now == "" {
			is = "it is gone"
		}
		was := fmt.Sprintf("It was %q when it was drafted, and %s.", c.Edit.Was, is)
		if c.Edit.Was == "" {
			was = fmt.Sprintf("There was none when it was drafted, and %s.", is)
		}
		same := c.Edit
		same.Was = c.Now
		out = append(out, guard.Finding{
			ID: fmt.Sprintf("row-changed:%s:%s", c.Edit.Port, c.Edit.Field), Guard: "row-changed", Level: guard.Stop, Ports: []network.PortRef{c.Edit.Port},
			What: fmt.Sprintf("Row %d of %s was changed by somebody else. %s", number, c.Edit.Port, was),
			Why:  "The push would undo what the other has set.",
			Do:   "Give your row another number, take it out of the draft, or set it all the same.",
			Fix:  []intent.Edit{same},
		})
	}
	return out, nil
}
