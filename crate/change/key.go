package change

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io/fs"
	"os"
	"sync"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
)

// A Key returns the bytes by which a user's own journals are known. It is made when it is first needed.
type Key func() ([]byte, error)

const keySize = 32

// KeyIn keeps the key in a folder of the user's own, such as the platform's folder for state. The error of a key that
// others can write to, or that belongs to somebody else, is a *problem.Problem.
func KeyIn(folder paths.OnDisk) Key {
	return sync.OnceValues(func() ([]byte, error) {
		name := string(folder.Join("key"))
		b, err := readKey(name)
		if err != nil || b != nil {
			return b, err
		}
		if err := os.MkdirAll(string(folder), 0o700); err != nil {
			return nil, err
		}
		b = make([]byte, keySize)
		rand.Read(b)
		tmp, err := os.CreateTemp(string(folder), ".key-")
		if err != nil {
			return nil, err
		}
		defer os.Remove(tmp.Name())
		_, err = tmp.Write(b)
		if err := errors.Join(err, tmp.Close()); err != nil {
			return nil, err
		}
		// A link is never made over another: of two commands that make a key at once, one does.
		if err := os.Link(tmp.Name(), name); err != nil && !errors.Is(err, fs.ErrExist) {
			if err := os.Rename(tmp.Name(), name); err != nil {
				return nil, err
			}
		}
		return readKey(name)
	})
}

func readKey(name string) ([]byte, error) {
	b, err := disk.ReadOwn(name)
	if err == nil && b != nil && len(b) != keySize {
		err = problem.Refuse(problem.SettingsBad, "remove it; merry makes a new key, and earlier changes can't be "+
			"undone then", "%s is damaged", name)
	}
	return b, err
}

// proof is what only the holder of the key can make of a text (RFC 2104, with SHA-256), in hexadecimal.
func proof(key, text []byte) string {
	h := hmac.New(sha256.New, key)
	h.Write(text)
	return hex.EncodeToString(h.Sum(nil))
}
