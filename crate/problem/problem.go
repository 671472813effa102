// Package problem defines the errors of this program: a stable code, a class that is the exit status, what is wrong,
// and what to type next. Every other package makes its errors here.
package problem

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"syscall"
)

// A Class is an exit status, and says who must act.
type Class int

// The classes of error.
const (
	Refused  Class = 1   // the tool won't, for a reason that it gives
	Misused  Class = 2   // the command was not said right
	Outside  Class = 3   // a disk or a network failed
	Internal Class = 4   // the program itself is wrong
	Stopped  Class = 130 // the user stopped it
)

// String returns the class's word in answers.
func (c Class) String() string {
	switch c {
	case Refused:
		return "refused"
	case Misused:
		return "misused"
	case Outside:
		return "outside"
	case Stopped:
		return "stopped"
	}
	return "internal"
}

// A Problem is an error with its next steps.
type Problem struct {
	Code  Code
	Class Class
	What  string
	Next  []string // commands, or short advice; never empty
	Err   error    // what it came of, if anything
}

// Error returns what is wrong.
func (p *Problem) Error() string { return p.What }

// Unwrap returns the wrapped error.
func (p *Problem) Unwrap() error { return p.Err }

// Refuse returns the error of a refusal. Next is what to type; format may wrap an error with %w.
func Refuse(code Code, next, format string, args ...any) error {
	return made(Refused, code, next, format, args)
}

// Misuse makes the error of a command that was not said right.
func Misuse(next, format string, args ...any) error { return made(Misused, Usage, next, format, args) }

// Fault makes the error of a disk or a network that failed.
func Fault(code Code, next, format string, args ...any) error {
	return made(Outside, code, next, format, args)
}

func made(class Class, code Code, next, format string, args []any) error {
	err := fmt.Errorf(format, args...)
	return &Problem{Code: code, Class: class, What: Plain(err), Next: []string{next}, Err: errors.Unwrap(err)}
}

// Of returns any error as a problem. One that says more before it keeps that: "brinework needs oarlock: …". An error
// that no package made here is a disk's, a network's, or a fault of the program, and then never a refusal.
func Of(err error) *Problem {
	var p *Problem
	_, system := systemError(err)
	out := &Problem{What: Plain(err), Err: err}
	switch {
	case errors.As(err, &p):
		out.Code, out.Class, out.Next = p.Code, p.Class, p.Next
	case errors.Is(err, context.Canceled):
		out.Code, out.Class, out.Next = Cancelled, Stopped, []string{"the same command again, when you are ready"}
		out.What = "interrupted; nothing was changed"
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		out.Code, out.Class, out.Next = DiskFull, Outside, []string{"free disk space, then the same command again"}
	case errors.Is(err, fs.ErrPermission), errors.Is(err, syscall.EROFS):
		out.Code, out.Class, out.Next = NoPermission, Outside, []string{"make sure that you may read and " +
			"write there, " +
			"then the same command again"}
	case errors.Is(err, syscall.EMFILE), errors.Is(err, syscall.ENFILE):
		out.Code, out.Class, out.Next = DiskFault, Outside, []string{"raise the limit of open files (ulimit -n), or " +
			"close other programs, then the same command again"}
	case system != nil:
		out.Code, out.Class, out.Next = DiskFault, Outside, []string{"check that the path exists and can be read, " +
			"then the same command again"}
	default:
		out.Code, out.Class = Bug, Internal
		out.Next = []string{"this is a bug in merry: please report it, with the command and this line"}
	}
	return out
}

// ClassOf returns the class of any error.
func ClassOf(err error) Class { return Of(err).Class }
