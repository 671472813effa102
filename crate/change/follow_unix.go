//go:build unix

package change

import "golang.org/x/sys/unix"

// noFollow keeps the lock from being made where a link leads to.
const noFollow = unix.O_NOFOLLOW
