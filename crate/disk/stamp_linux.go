package disk

import (
	"io/fs"
	"os"
	"syscall"

	"golang.org/x/sys/unix"
)

// StampOf makes the stamp of a file that was read.
func StampOf(info fs.FileInfo) Stamp {
	s := Stamp{Size: info.Size(), ModTime: info.ModTime().UnixNano()}
	switch st := info.Sys().(type) {
	case *syscall.Stat_t:
		s.ChangeTime, s.Inode = st.Ctim.Nano(), st.Ino
	case *unix.Stat_t:
		s.ChangeTime, s.Inode = st.Ctim.Nano(), st.Ino
	}
	return s
}

// frozen reports whether a folder, or a file of it, is set so that nobody can change it.
func frozen(folder *os.File, file fs.FileInfo) string {
	const attributes = unix.STATX_ATTR_IMMUTABLE | unix.STATX_ATTR_APPEND
	var st unix.Statx_t
	if unix.Statx(int(folder.Fd()), "", unix.AT_EMPTY_PATH, 0, &st) == nil && st.Attributes&attributes != 0 {
		return "its folder is set so that nothing in it can be replaced"
	}
	if file != nil && unix.Statx(int(folder.Fd()), file.Name(), unix.AT_SYMLINK_NOFOLLOW, 0, &st) == nil &&
		st.Attributes&attributes != 0 {
		return "it is set so that nobody can change it"
	}
	return ""
}
