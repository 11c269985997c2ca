package settingsfile

import (
	"encoding/json"
	"strings"

	"example.net/everypost/internal/core/setting"
)

type object = map[string]any

// Schema describes the form of a file as JSON Schema (draft 2020-12), for editors and checkers.
func Schema() ([]byte, error) {
	parts := object{}
	for _, section := range setting.Sections() {
		values := object{"type": []string{"object", "null"}, "additionalProperties": false, "properties": propertiesOf(section.Kind)}
		if section.Kind == setting.KindOf("") {
			values["patternProperties"] = object{`^service\.[a-z][a-z0-9-]*$`: object{"type": "boolean", "description": "Whether the device offers the service."}}
			parts[section.Section] = values
			continue
		}
		parts[section.Section] = object{"type": "object", "description": "By name.", "additionalProperties": values}
	}
	return json.MarshalIndent(object{
		"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Settings of devices", "type": "object", "additionalProperties": false,
		"required": []string{"everypost", "devices"},
		"properties": object{
			"everypost": object{"const": Version},
			"devices":   object{"type": "object", "description": "By name.", "additionalProperties": object{"type": []string{"object", "null"}, "additionalProperties": false, "properties": parts}},
		},
	}, "", "  ")
}

func propertiesOf(k setting.Kind) object {
	out := object{}
	for _, s := range setting.Of(k) {
		if s.Name == setting.Present {
			continue
		}
		p := typeOf(s.Value)
		p["description"] = strings.ToUpper(s.Help[:1]) + s.Help[1:] + ". Form: " + s.Value.Form + "."
		if s.Default != "" {
			p["default"] = s.Default
		}
		out[s.Name] = p
	}
	return out
}

func typeOf(v setting.Value) object {
	words := object{"enum": v.Choices}
	number := object{"type": "integer", "minimum": v.Min, "maximum": v.Max}
	switch v.Type {
	case setting.Switch:
		return object{"anyOf": []object{{"type": "boolean"}, words}}
	case setting.Choice:
		return words
	case setting.Number, setting.VLAN:
		if len(v.Choices) == 0 {
			return number
		}
		return object{"anyOf": []object{number, words}}
	case setting.Table:
		return object{"anyOf": []object{
			{"type": "object", "description": "Rows by their numbers: those that are not named stay as they are.", "additionalProperties": false,
				"patternProperties": object{`^[1-9][0-9]*$`: object{"type": []string{"string", "null"}}}},
			{"type": "array", "description": "The whole table, row by row, with or without numbers.", "items": object{"type": "string"}}}}
	case setting.List:
		return object{"anyOf": []object{{"type": "array", "items": object{"type": []string{"string", "integer"}}}, {"type": "string"}}}
	case setting.VLANs:
		return object{"type": []string{"string", "integer"}}
	}
	return object{"type": "string"}
}
