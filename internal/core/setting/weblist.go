package setting

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

// WebCategories is the feature of firewalls that are told what is in a category.
const WebCategories network.Feature = "web categories"

var webCategoryOnly = []Kind{OnWebCategory}

// maxNames is how many names are in a category of a device.
const maxNames = 1000

// webCategorySettings say what is in a category besides what the device knows itself.
var webCategorySettings = []Setting{
	{Name: "category-names", On: webCategoryOnly, Title: "Names", Group: "Web category", Help: "what is in it, whatever the device takes it for: domains with all below them, such as tides.example.net", Default: "none", Needs: WebCategories,
		Value: list("domains", maxNames, mailDomain)},
}

// ErrWebList tells that a text is no list of what is in which category.
var ErrWebList = errors.New("that is no list of categories")

const (
	maxListLines = 20_000
	maxListTold  = 10 // lines that are wrong
)

// ReadWebList reads what is in which category: lines of a domain and a category, with comments after #. It returns the values of category-names by category.
func ReadWebList(text string) (map[string]string, error) {
	names, wrong := map[string][]string{}, []string{}
	number, more := 0, 0
	for line := range strings.Lines(text) {
		if number++; number > maxListLines {
			return nil, fmt.Errorf("%w: it has more than %d lines", ErrWebList, maxListLines)
		}
		said, _, _ := strings.Cut(line, "#")
		words := strings.Fields(said)
		if len(words) == 0 {
			continue
		}
		why := ""
		if len(words) != 2 {
			why = "a line is a domain and a category"
		} else if domain, err := mailDomain(words[0]); err != nil {
			why = err.Error()
		} else if err := network.CheckName(strings.ToLower(words[1])); err != nil {
			why = err.Error()
		} else {
			category := strings.ToLower(words[1])
			names[category] = append(names[category], domain)
			continue
		}
		if len(wrong) < maxListTold {
			wrong = append(wrong, fmt.Sprintf("line %d: %s", number, why))
		} else {
			more++
		}
	}
	if more > 0 {
		wrong = append(wrong, fmt.Sprintf("and %d more", more))
	}
	switch {
	case len(wrong) > 0:
		return nil, fmt.Errorf("%w: %s", ErrWebList, strings.Join(wrong, "; "))
	case len(names) == 0:
		return nil, fmt.Errorf("%w: nothing is in it", ErrWebList)
	}
	out := map[string]string{}
	for _, category := range slices.Sorted(maps.Keys(names)) {
		list := names[category]
		slices.Sort(list)
		if list = slices.Compact(list); len(list) > maxNames {
			return nil, fmt.Errorf("%w: %d names are in %s, and a device takes %d", ErrWebList, len(list), category, maxNames)
		}
		out[category] = strings.Join(list, ",")
	}
	return out, nil
}

// WebCategoryObject is what a category is called in a configuration, by its name.
func WebCategoryObject(name string) string { return Object(OnWebCategory, name) }

// WebCategoryOf is the category that an object is, "" for what is none.
func WebCategoryOf(object string) string {
	if KindOf(object) != OnWebCategory {
		return ""
	}
	return strings.TrimPrefix(object, string(OnWebCategory)+"/")
}
