//go:build !linux

package room

// closeRoom does nothing here: the engine itself has no way to a file or a connection.
func closeRoom() error { return nil }
