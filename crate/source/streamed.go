package source

import (
	"encoding/json"
	"errors"
	"fmt"
)

// EachMember calls value for each member of an object, with the decoder in front of its value.
func EachMember(dec *json.Decoder, value func(key string) error) error {
	if t, err := dec.Token(); err != nil || t != json.Delim('{') {
		return errors.Join(err, errors.New("an object was expected"))
	}
	for dec.More() {
		key, err := dec.Token()
		if err != nil {
			return err
		}
		if err := value(fmt.Sprint(key)); err != nil {
			return err
		}
	}
	_, err := dec.Token()
	return err
}

// Skip reads past the next value.
func Skip(dec *json.Decoder) error {
	for depth := 0; ; {
		t, err := dec.Token()
		if err != nil {
			return err
		}
		switch t {
		case json.Delim('{'), json.Delim('['):
			depth++
		case json.Delim('}'), json.Delim(']'):
			depth--
		}
		if depth == 0 {
			return nil
		}
	}
}
