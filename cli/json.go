package cli

import (
	"encoding/json"
	"reflect"
	"strings"
)

// printJSON prints an answer as JSON. A list without anything in it is [], and never null.
func (a *app) printJSON(v any) error {
	enc := json.NewEncoder(a.out)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(listed(reflect.ValueOf(v)))
}

// listed is a value with every list that is nil made an empty one, but where an empty list is left out anyway.
func listed(v reflect.Value) any {
	if !v.IsValid() {
		return nil
	}
	if v.Kind() != reflect.Pointer {
		p := reflect.New(v.Type())
		p.Elem().Set(v)
		v = p
	}
	fillLists(v)
	return v.Interface()
}

func fillLists(v reflect.Value) {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			fillLists(v.Elem())
		}
	case reflect.Interface:
		if !v.IsNil() && v.CanSet() {
			if filled := listed(v.Elem()); filled != nil {
				v.Set(reflect.ValueOf(filled))
			}
		}
	case reflect.Struct:
		for i := range v.NumField() {
			field := v.Type().Field(i)
			if !field.IsExported() && !field.Anonymous || !v.Field(i).CanSet() && v.Field(i).Kind() != reflect.Pointer {
				continue
			}
			if tag := field.Tag.Get("json"); tag == "-" || strings.Contains(tag, ",omitempty") && v.Field(i).Kind() == reflect.Slice && v.Field(i).Len() == 0 {
				continue
			}
			fillLists(v.Field(i))
		}
	case reflect.Slice:
		if v.IsNil() && v.CanSet() && v.Type().Elem().Kind() != reflect.Uint8 {
			v.Set(reflect.MakeSlice(v.Type(), 0, 0))
		}
		for i := range v.Len() {
			fillLists(v.Index(i))
		}
	case reflect.Map:
		for _, key := range v.MapKeys() {
			if filled := listed(v.MapIndex(key)); filled != nil {
				value := reflect.ValueOf(filled)
				if v.Type().Elem().Kind() != reflect.Pointer && value.Kind() == reflect.Pointer && v.Type().Elem().Kind() != reflect.Interface {
					value = value.Elem()
				}
				v.SetMapIndex(key, value)
			}
		}
	}
}
