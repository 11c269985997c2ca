package client

import "reflect"

// clean cleans the texts of an answer that was read into what a pointer leads to.
func (c *Client) clean(answer any) {
	if c.Clean != nil {
		c.cleanValue(reflect.ValueOf(answer))
	}
}

func (c *Client) cleanValue(v reflect.Value) {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			c.cleanValue(v.Elem())
		}
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				c.cleanValue(v.Field(i))
			}
		}
	case reflect.Slice:
		if v.Type().Elem().Kind() == reflect.Uint8 {
			return // octets
		}
		for i := range v.Len() {
			c.cleanValue(v.Index(i))
		}
	case reflect.Map:
		if v.Type().Elem().Kind() != reflect.String || v.Type().Key().Kind() != reflect.String {
			for _, key := range v.MapKeys() { // what a map holds cannot be written in its place
				one := reflect.New(v.Type().Elem()).Elem()
				one.Set(v.MapIndex(key))
				c.cleanValue(one)
				v.SetMapIndex(key, one)
			}
			return
		}
		for _, key := range v.MapKeys() {
			text := reflect.New(v.Type().Elem()).Elem()
			text.SetString(c.Clean(v.MapIndex(key).String()))
			v.SetMapIndex(key, text)
		}
	case reflect.String:
		if v.CanSet() {
			v.SetString(c.Clean(v.String()))
		}
	}
}
