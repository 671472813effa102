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
