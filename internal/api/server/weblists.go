package server

import (
	"cmp"
	"context"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/setting"
)

// webListRoutes take in lists of what is in which category.
func (s *server) webListRoutes(api huma.API) {
	register(s, api, may(rights.Change, rights.Devices), http.MethodPost, "/web-lists", "take-in-web-list", "Put a list of what is in which category into a draft, as a template that firewalls follow",
		func(ctx context.Context, in *body[v1.WebListRequest]) (*body[v1.BulkAnswer], error) {
			rows, err := s.webListRows(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			list, err := s.rows(ctx, rows)
			if err != nil {
				return nil, err
			}
			return s.bulk(ctx, in.Body.Change, cmp.Or(in.Body.Why, "The list "+in.Body.Name+" of what is in which category"), list)
		})
}

// webListRows are what a template says for a list: its categories, and none of those that an earlier one had and this has not.
func (s *server) webListRows(ctx context.Context, r v1.WebListRequest) ([]v1.BulkRow, error) {
	categories, err := setting.ReadWebList(r.Text)
	if err != nil {
		return nil, err
	}
	draft, err := s.seenDraft(ctx, r.Change)
	if err != nil {
		return nil, err
	}
	templates, err := s.Layers.Templates(ctx, draft)
	if err != nil {
		return nil, err
	}
	name := "web-" + strings.ToLower(r.Name)
	layer := intent.TemplateLayer(name)
	rows := []v1.BulkRow{{On: []string{layer + ":self"}, Set: map[string]string{setting.Present: "on", "title": "Web categories: " + r.Name, "for": "devices", "pick": r.Where}}}
	for _, t := range templates {
		if t.Name != name {
			continue
		}
		for _, object := range slices.Sorted(maps.Keys(t.Words)) {
			if _, still := categories[setting.WebCategoryOf(object)]; setting.WebCategoryOf(object) != "" && !still {
				rows = append(rows, v1.BulkRow{On: []string{layer + ":" + object}, Set: map[string]string{setting.Present: "off"}})
			}
		}
	}
	for _, category := range slices.Sorted(maps.Keys(categories)) {
		rows = append(rows, v1.BulkRow{On: []string{layer + ":" + setting.WebCategoryObject(category)}, Set: map[string]string{setting.Present: "on", "category-names": categories[category]}})
	}
	return rows, nil
}
