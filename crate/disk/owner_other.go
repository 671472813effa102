//go:build !unix

package disk

import (
	"io/fs"
	"os"
)

const openAtOnce = 0

// Mine is true: this system keeps owners in another way, and its folders of users are their own.
func Mine(fs.FileInfo) bool { return true }

// OthersMayWrite is false, for the same reason.
func OthersMayWrite(fs.FileInfo) bool { return false }

// SameDevice is true: a move to another volume fails, and is rolled back.
func SameDevice(a, b fs.FileInfo) bool { return true }

func mayWrite(folder *os.File, dir, file fs.FileInfo) string { return "" }

// StampOf makes the stamp of a file that was read.
func StampOf(info fs.FileInfo) Stamp {
	return Stamp{Size: info.Size(), ModTime: info.ModTime().UnixNano()}
}
