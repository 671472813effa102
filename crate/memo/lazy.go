// Package lazy makes what a program may need once, when it is first asked for: compiling every expression that some command uses would
// take a third of the time in which a short command is done.
package memo

import (
	"regexp"
	"sync"
)

// Regexp returns what compiles an expression (RE2 syntax, as package regexp has it) when it is first called, by any goroutine. It panics then
// where the expression is none, as regexp.MustCompile does.
func Regexp(expression string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(expression) })
}
