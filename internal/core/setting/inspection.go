package setting

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"example.net/everypost/internal/core/network"
)

// Inspection is the feature of firewalls that look into the sessions that a rule lets begin.
const Inspection network.Feature = "inspection"

// MailInspection is the feature of firewalls that look into mail.
const MailInspection network.Feature = "mail inspection"

var inspectionOnly = []Kind{OnInspection}

// inspectionSettings say what of the sessions that a rule lets begin is stopped after all, once it is known what they are.
var inspectionSettings = []Setting{
	{Name: "web-block", On: inspectionOnly, Title: "Blocked categories", Group: "Inspection", Help: "categories of what is asked for, as the device calls them, such as gambling", Default: "none", Needs: Inspection,
		Value: list("names of categories", 100, checkedName)},
	{Name: "web-override", On: inspectionOnly, Title: "Blocked until overridden", Group: "Inspection", Help: "categories that are blocked until somebody lets a station see one, for a time and in his name", Default: "none", Needs: Inspection,
		Value: list("names of categories", 100, checkedName)},
	{Name: "web-log", On: inspectionOnly, Title: "Logged categories", Group: "Inspection", Help: "categories that are let pass and counted", Default: "none", Needs: Inspection, Value: list("names of categories", 100, checkedName)},
	{Name: "application-block", On: inspectionOnly, Title: "Blocked applications", Group: "Inspection", Help: "applications, as the device calls them, by whatever port they go", Default: "none", Needs: Inspection,
		Value: list("names of applications", 100, checkedName)},
	{Name: "application-limit", On: inspectionOnly, Title: "Limited applications", Group: "Inspection", Help: "the rate that each station has for an application, such as tide-tables=2M", Default: "none", Needs: Inspection,
		Value: list("applications with a rate, such as tide-tables=2M", 100, applicationRate)},
	{Name: "file-limit", On: inspectionOnly, Title: "File limit", Group: "Inspection", Help: "files that are larger are cut off", Default: "none", Needs: Inspection, Value: number(1, 10_000, "MiB").or("none")},
	{Name: "file-exceptions", On: inspectionOnly, Title: "File exceptions", Group: "Inspection", Help: "whence files may be larger: names of addresses, or prefixes", Default: "none", Needs: Inspection,
		Value: list("names of addresses, or prefixes", 50, nameOrPrefix)},
	{Name: "mail-senders", On: inspectionOnly, Title: "Refused senders", Group: "Inspection", Help: "whose mail is refused: addresses, or domains with all below them, such as lottery.example", Default: "none", Needs: MailInspection,
		Value: list("addresses of mail, or domains", 100, mailSender)},
	{Name: "mail-lists", On: inspectionOnly, Title: "Look-ups", Group: "Inspection", Help: "lists of the domain name system in which who delivers mail is looked up (RFC 5782): who stands in one is refused", Default: "none", Needs: MailInspection,
		Value: list("names of lists", 8, mailDomain)},
	{Name: "mail-words", On: inspectionOnly, Title: "Refused words", Group: "Inspection", Help: "mail with one of them in its subject or text is refused", Default: "none", Needs: MailInspection, Value: list("words", 100, plainWord)},
	{Name: "intrusion", On: inspectionOnly, Title: "Intrusion", Group: "Inspection", Help: "attacks that are at least so grave are stopped", Default: "off", Needs: Inspection, Value: choice("off", "critical", "high", "medium", "low")},
}

// mailSender is an address of mail (RFC 5321), or a domain.
func mailSender(s string) (string, error) {
	local, domain, isAddress := strings.Cut(s, "@")
	if !isAddress {
		domain = s
	}
	domain, err := mailDomain(domain)
	switch {
	case err != nil || isAddress && (local == "" || len(local) > 64 || strings.ContainsAny(local, " \t\",;<>()[]\\@")):
		return "", fmt.Errorf("%q is no sender: write an address such as win@lottery.example, or a domain", s)
	case isAddress:
		return local + "@" + domain, nil
	}
	return domain, nil
}

// mailDomain is a name of the domain name system with at least two labels.
func mailDomain(s string) (string, error) {
	s = strings.ToLower(strings.TrimSuffix(s, "."))
	labels := strings.Split(s, ".")
	if len(s) > 253 || len(labels) < 2 || slices.ContainsFunc(labels, func(l string) bool { return network.CheckHostName(l) != nil }) {
		return "", fmt.Errorf("%q is no domain: write it like lottery.example", s)
	}
	return s, nil
}

// plainWord is a word of letters and digits.
func plainWord(s string) (string, error) {
	if n := utf8.RuneCountInString(s); n < 3 || n > 40 || strings.ContainsFunc(s, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '-' }) {
		return "", fmt.Errorf("%q is no word: use 3 to 40 letters, digits and hyphens", s)
	}
	return strings.ToLower(s), nil
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
