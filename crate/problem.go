package crate

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"syscall"

	"merrycrate.example/merry/crate/source"
)

// Class sorts errors by what they ask of the user. Its values are exit statuses.
type Class int

// The classes of error.
const (
	Refused Class = 1 // the tool won't, for a reason that it gives
	Usage   Class = 2 // the command was not said right
	Outside Class = 3 // a disk or a network failed
)

// A Problem is an error that says what is wrong and what to type next.
type Problem struct {
	Class Class
	What  string
	Next  []string // commands, or short advice
	Err   error
}

func (p *Problem) Error() string { return p.What }
func (p *Problem) Unwrap() error { return p.Err }

func refused(next, format string, args ...any) error { return problem(Refused, next, format, args...) }
func usage(next, format string, args ...any) error   { return problem(Usage, next, format, args...) }

func problem(class Class, next, format string, args ...any) error {
	err := fmt.Errorf(format, args...)
	p := &Problem{Class: class, What: err.Error(), Err: errors.Unwrap(err)}
	if next != "" {
		p.Next = []string{next}
	}
	return p
}

// ClassOf tells the class of any error.
func ClassOf(err error) Class {
	var p *Problem
	var pe *fs.PathError
	var le *os.LinkError
	var refusal *source.Refusal
	var errno syscall.Errno
	var fetch *source.FetchError
	switch {
	case errors.As(err, &p):
		return p.Class
	case errors.As(err, &refusal):
		return Refused
	case errors.As(err, &fetch):
		return Outside
	case errors.Is(err, fs.ErrNotExist):
		return Refused
	case errors.As(err, &pe), errors.As(err, &le), errors.As(err, &errno):
		return Outside
	}
	return Refused
}
