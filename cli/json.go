package cli

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"strings"

	"merrycrate.example/merry/crate/texts"
)

// answer prints v as JSON if that was asked for, else runs text. The steps that text would print at its end become the
// key next of the object, so both forms of an answer lead on to the same commands.
func (a *app) answer(v any, text func()) error {
	a.leading = false
	if !a.json {
		text()
		return nil
	}
	b, err := encode(v)
	if err != nil {
		return err
	}
	steps := []string{}
	a.recorded = &steps
	text()
	a.recorded = nil
	if len(steps) > 0 {
		if b, err = withNext(b, strings.Join(steps, "; ")); err != nil {
			return err
		}
	}
	if a.collected != nil {
		*a.collected = json.RawMessage(b)
		return nil
	}
	return a.writeJSON(b)
}

// printJSON prints an answer that has no text for people.
func (a *app) printJSON(v any) error {
	b, err := encode(v)
	if err != nil {
		return err
	}
	return a.writeJSON(b)
}

func (a *app) writeJSON(b []byte) error {
	var out bytes.Buffer
	if err := json.Indent(&out, bytes.TrimSpace(b), "", "  "); err != nil {
		return err
	}
	out.WriteByte('\n')
	a.write(out.String())
	return nil
}

// A nextStep is one thing to do next. A step of a person has no command.
type nextStep struct {
	Command string `json:"command,omitempty"` // what to type
	Text    string `json:"text,omitempty"`    // what it does, or what to do by hand
}

// nextSteps takes the steps of a text apart, such as "merry check; merry undo  # reverts this".
func nextSteps(text string) []nextStep {
	list := []nextStep{}
	for _, step := range texts.Steps(text) {
		if !strings.HasPrefix(step, "merry ") {
			list = append(list, nextStep{Text: step})
			continue
		}
		command, comment, _ := strings.Cut(step, "  # ")
		list = append(list, nextStep{strings.TrimSpace(command), comment})
	}
	return list
}

// withNext adds the key next to an object, unless the object has one.
func withNext(object []byte, steps string) ([]byte, error) {
	object = bytes.TrimSpace(object)
	if !bytes.HasPrefix(object, []byte("{")) {
		return nil, fmt.Errorf("an answer is not a JSON object: %.40s", object)
	}
	var has struct{ Next json.RawMessage }
	if err := json.Unmarshal(object, &has); err != nil || has.Next != nil {
		return object, err
	}
	next, err := compact(nextSteps(steps))
	if err != nil {
		return nil, err
	}
	comma := ","
	if string(object) == "{}" {
		comma = ""
	}
	return fmt.Appendf(nil, `%s%s"next":%s}`, object[:len(object)-1], comma, next), nil
}

// encode writes a value as JSON. A list without elements is [], never null. Every key next becomes a list of steps: in
// the answers' types it is a text, as it is printed.
func encode(v any) ([]byte, error) {
	b, err := compact(listed(reflect.ValueOf(v)))
	if err != nil {
		return nil, err
	}
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.UseNumber()
	var out bytes.Buffer
	if err := copyValue(&out, dec, ""); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

func compact(v any) ([]byte, error) {
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	err := enc.Encode(v)
	return bytes.TrimSpace(out.Bytes()), err
}

// copyValue copies the decoder's next value, which is at a key of an object ("" in a list).
func copyValue(out *bytes.Buffer, dec *json.Decoder, key string) error {
	t, err := dec.Token()
	if err != nil {
		return err
	}
	opening, isDelim := t.(json.Delim)
	if !isDelim {
		value := any(t)
		if text, isText := t.(string); isText && key == "next" {
			value = nextSteps(text)
		}
		b, err := compact(value)
		out.Write(b)
		return err
	}
	out.WriteByte(byte(opening))
	for n := 0; dec.More(); n++ {
		if n > 0 {
			out.WriteByte(',')
		}
		name := ""
		if opening == '{' {
			t, err := dec.Token()
			if err != nil {
				return err
			}
			name = t.(string)
			b, err := compact(name)
			if err != nil {
				return err
			}
			out.Write(b)
			out.WriteByte(':')
		}
		if err := copyValue(out, dec, name); err != nil {
			return err
		}
	}
	closing, err := dec.Token()
	if err == nil {
		out.WriteByte(byte(closing.(json.Delim)))
	}
	return err
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
			if tag := field.Tag.Get("json"); tag == "-" || strings.Contains(tag, ",omitempty") &&
				v.Field(i).Kind() == reflect.Slice && v.Field(i).Len() == 0 {
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
				if v.Type().Elem().Kind() != reflect.Pointer && value.Kind() == reflect.Pointer &&
					v.Type().Elem().Kind() != reflect.Interface {
					value = value.Elem()
				}
				v.SetMapIndex(key, value)
			}
		}
	}
}
