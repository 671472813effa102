package parallel

import (
	"fmt"
	"runtime/debug"
)

// A Panic is a bug that stopped a piece of work, with its text and its stack.
type Panic struct {
	Text  string
	Stack []byte // as the runtime writes it
}

// Error says what the fault said.
func (p *Panic) Error() string { return p.Text }

// Recover runs work. If it panics, the error is a *Panic: one piece of work must not end the program with a trace.
func Recover(work func() error) (err error) {
	defer func() {
		if said := recover(); said != nil {
			if p, ok := said.(*Panic); ok {
				err = p
				return
			}
			err = &Panic{fmt.Sprint(said), debug.Stack()}
		}
	}()
	return work()
}
