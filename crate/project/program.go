package project

import (
	"fmt"
	"os"
	"sync"
)

// Program identifies this build of the program.
var Program = sync.OnceValue(func() string {
	self, err := os.Executable()
	if err != nil {
		return ""
	}
	info, err := os.Stat(self)
	if err != nil {
		return ""
	}
	return fmt.Sprint(info.Size(), info.ModTime().UnixNano())
})
