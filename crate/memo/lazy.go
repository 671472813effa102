// Package lazy makes what a program may need once, when it is first asked for: compiling every expression that some command uses would
// take a third of the time in which a short command is done.
package memo

import (
	"regexp"
	"sync"
)

// Regexp returns a function that compiles an expression (RE2 syntax, as in package regexp) at its first call, from any
// goroutine. It panics then if the expression is wrong, as regexp.MustCompile does.
func Regexp(expression string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(expression) })
}
