package setting

import (
	"fmt"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Inspection is the feature of firewalls that look into the sessions that a rule lets begin.
const Inspection network.Feature = "inspection"

var inspectionOnly = []Kind{OnInspection}

// inspectionSettings say what of the sessions that a rule lets begin is stopped after all, once it is known what they are.
var inspectionSettings = []Setting{
	{Name: "web-block", On: inspectionOnly, Title: "Blocked categories", Group: "Inspection", Help: "categories of what is asked for, as the device calls them, such as gambling", Default: "none", Needs: Inspection,
		Value: list("names of categories", 100, checkedName)},
	{Name: "web-log", On: inspectionOnly, Title: "Logged categories", Group: "Inspection", Help: "categories that are let pass and counted", Default: "none", Needs: Inspection, Value: list("names of categories", 100, checkedName)},
	{Name: "application-block", On: inspectionOnly, Title: "Blocked applications", Group: "Inspection", Help: "applications, as the device calls them, by whatever port they go", Default: "none", Needs: Inspection,
		Value: list("names of applications", 100, checkedName)},
	{Name: "application-limit", On: inspectionOnly, Title: "Limited applications", Group: "Inspection", Help: "the rate that each station has for an application, such as tide-tables=2M", Default: "none", Needs: Inspection,
		Value: list("applications with a rate, such as tide-tables=2M", 100, applicationRate)},
	{Name: "file-limit", On: inspectionOnly, Title: "File limit", Group: "Inspection", Help: "files that are larger are cut off", Default: "none", Needs: Inspection, Value: number(1, 10_000, "MiB").or("none")},
	{Name: "file-exceptions", On: inspectionOnly, Title: "File exceptions", Group: "Inspection", Help: "whence files may be larger: names of addresses, or prefixes", Default: "none", Needs: Inspection,
		Value: list("names of addresses, or prefixes", 50, nameOrPrefix)},
	{Name: "intrusion", On: inspectionOnly, Title: "Intrusion", Group: "Inspection", Help: "attacks that are at least so grave are stopped", Default: "off", Needs: Inspection, Value: choice("off", "critical", "high", "medium", "low")},
}

// applicationRate is an application with a rate.
func applicationRate(s string) (string, error) {
	name, rate, ok := strings.Cut(s, "=")
	if !ok || network.CheckName(name) != nil {
		return "", fmt.Errorf("%q is no application with a rate: write it like tide-tables=2M", s)
	}
	bits, err := ParseRate(rate)
	return name + "=" + FormatRate(bits), err
}

// inspectionNames are what an inspection refers to.
func inspectionNames(c network.Config, object string) (out []string) {
	for _, item := range Items(c.Objects[object]["file-exceptions"]) {
		if _, err := prefixOf(item); err != nil {
			out = append(out, item)
		}
	}
	slices.Sort(out)
	return out
}
