package cli

import (
	"encoding/json"
	"io"
	"os"
)

// takeJSON reads a value from a file; "-" is the input. What has a member that is not known, or more than a value, is refused.
func (a *app) takeJSON(file string, into any) error {
	r := a.in
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return usage("%v", err)
		}
		defer func() { _ = f.Close() }()
		r = f
	}
	d := json.NewDecoder(r)
	d.DisallowUnknownFields()
	if err := d.Decode(into); err != nil {
		return usage("%s is not what is to be imported: %v", file, err)
	}
	if _, err := d.Token(); err != io.EOF {
		return usage("%s holds more than what is to be imported: one JSON value is expected", file)
	}
	return nil
}
