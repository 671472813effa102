//go:build unix

package disk

import (
	"io/fs"
	"os"
	"strconv"
	"syscall"

	"golang.org/x/sys/unix"
)

// openAtOnce keeps the opening of a pipe from waiting for somebody to write into it.
const openAtOnce = unix.O_NONBLOCK

// owner returns the number of a file's owner, and of the device that it is on.
func owner(info fs.FileInfo) (uid, gid int, device uint64, ok bool) {
	switch st := info.Sys().(type) {
	case *syscall.Stat_t:
		return int(st.Uid), int(st.Gid), uint64(st.Dev), true
	case *unix.Stat_t:
		return int(st.Uid), int(st.Gid), uint64(st.Dev), true
	}
	return 0, 0, 0, false
}

// Mine reports whether a file belongs to the user, or to the system's own user, who could replace the program anyway.
// Under sudo the user is the one who called it.
func Mine(info fs.FileInfo) bool {
	uid, _, _, ok := owner(info)
	if !ok || uid == 0 || uid == os.Geteuid() {
		return true
	}
	caller, err := strconv.Atoi(os.Getenv("SUDO_UID"))
	return os.Geteuid() == 0 && err == nil && caller == uid
}

// OthersMayWrite reports whether anyone but the user may write to a file.
func OthersMayWrite(info fs.FileInfo) bool {
	_, gid, _, ok := owner(info)
	mode := info.Mode().Perm()
	return ok && (mode&0o002 != 0 || mode&0o020 != 0 && gid != os.Getegid())
}

// SameDevice reports whether two files are on one file system.
func SameDevice(a, b fs.FileInfo) bool {
	_, _, da, aok := owner(a)
	_, _, db, bok := owner(b)
	return !aok || !bok || da == db
}

// mayWrite tells why nothing can be made, exchanged or removed in a folder, or why a file of it can't, "" if that can
// be.
func mayWrite(folder *os.File, dir, file fs.FileInfo) string {
	if unix.Faccessat(int(folder.Fd()), ".", unix.W_OK|unix.X_OK, unix.AT_EACCESS) != nil {
		return "you may not write to its folder"
	}
	if file != nil && dir.Mode()&fs.ModeSticky != 0 && os.Geteuid() != 0 {
		fuid, _, _, _ := owner(file)
		if duid, _, _, _ := owner(dir); fuid != os.Geteuid() && duid != os.Geteuid() {
			return "it belongs to another user, in a folder where only owners may replace their files"
		}
	}
	return frozen(folder, file)
}
