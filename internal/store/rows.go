package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/pressly/goose/v3"

	"example.net/everypost/internal/core/setting"
)

// rowsOfLists is a step of the database that SQL cannot take: the rules of access lists were kept as one text, and are kept
// row by row.
var rowsOfLists = goose.NewGoMigration(18, &goose.GoFunc{RunTx: func(ctx context.Context, tx *sql.Tx) error {
	for _, c := range []struct{ table, key, column string }{
		{"templates", "name", "words"}, {"site_words", "site", "words"}, {"device_words", "device", "words"}, {"snapshots", "id", "config"},
		{"changes", "number", "body"}, {"change_edits", "number", "edits"}, {"change_devices", "number || ' ' || device", "body"},
	} {
		if err := rewrite(ctx, tx, c.table, c.key, c.column); err != nil {
			return fmt.Errorf("%s.%s: %w", c.table, c.column, err)
		}
	}
	return nil
}}, nil)

// rewrite has a column of JSON hold rules row by row.
func rewrite(ctx context.Context, tx *sql.Tx, table, key, column string) error {
	type row struct{ key, text string }
	rows, err := tx.QueryContext(ctx, fmt.Sprintf(`SELECT %[2]s, %[3]s FROM %[1]s WHERE %[3]s LIKE '%%acl/%%' AND %[3]s LIKE '%%"rules"%%'`, table, key, column))
	if err != nil {
		return err
	}
	defer func() { _ = rows.Close() }()
	var all []row
	for rows.Next() {
		var r row
		if err := rows.Scan(&r.key, &r.text); err != nil {
			return err
		}
		all = append(all, r)
	}
	if err := rows.Err(); err != nil {
		return err
	}
	for _, r := range all {
		d := json.NewDecoder(strings.NewReader(r.text))
		d.UseNumber()
		var v any
		if err := d.Decode(&v); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, fmt.Sprintf(`UPDATE %s SET %s = ? WHERE %s = ?`, table, column, key), toJSON(byRow(v)), r.key); err != nil {
			return err
		}
	}
	return nil
}

// byRow goes through what is kept and has access lists in it hold their rules row by row: in a configuration the rules are a
// text, among the words of a layer they are one word, and edits set them as one value.
func byRow(v any) any {
	switch v := v.(type) {
	case []any:
		out := []any{}
		for _, one := range v {
			out = append(out, editByRow(one)...)
		}
		return out
	case map[string]any:
		for name, one := range v {
			v[name] = byRow(one)
			list, isObject := one.(map[string]any)
			if !isObject || setting.KindOf(name) != setting.OnACL {
				continue
			}
			switch rules := list["rules"].(type) {
			case string:
				delete(list, "rules")
				for _, r := range rowsIn(rules) {
					list[setting.RowName("rules", r.Number)] = r.Text
				}
			case map[string]any:
				text, _ := rules["value"].(string)
				delete(list, "rules")
				for _, r := range rowsIn(text) {
					list[setting.RowName("rules", r.Number)] = map[string]any{"value": r.Text, "change": rules["change"]}
				}
			}
		}
	}
	return v
}

// editByRow is an edit of the rules of an access list row by row, or what else it was.
func editByRow(v any) []any {
	e, _ := v.(map[string]any)
	port, _ := e["port"].(string)
	_, object, _ := strings.Cut(port, ":")
	text, isText := e["value"].(string)
	if e["field"] != "rules" || setting.KindOf(object) != setting.OnACL || !isText {
		return []any{byRow(v)}
	}
	var out []any
	for _, r := range rowsIn(text) {
		out = append(out, map[string]any{"port": port, "field": setting.RowName("rules", r.Number), "value": r.Text, "act": e["act"]})
	}
	return out
}

// rowsIn reads rules as they were kept: lines without numbers.
func rowsIn(text string) []setting.Row {
	s, err := setting.Lookup(setting.OnACL, "rules")
	if err != nil {
		return nil
	}
	normal, err := s.Value.Normal(text)
	if err != nil {
		return nil // what could not be set cannot have been kept
	}
	return setting.ReadLines(normal)
}
