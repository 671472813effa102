package show

import (
	"bytes"
	"io"
)

// A Folder folds the lines that go to a terminal between words.
type Folder struct {
	To   io.Writer
	kept []byte // the beginning of a line
}

// Write folds all lines that are complete.
func (w *Folder) Write(b []byte) (int, error) {
	if Columns == 0 {
		return w.To.Write(b)
	}
	text := append(w.kept, b...)
	w.kept = nil
	for {
		line, rest, ok := bytes.Cut(text, []byte("\n"))
		if !ok {
			w.kept = bytes.Clone(text)
			return len(b), nil
		}
		if _, err := io.WriteString(w.To, FoldLine(string(line))+"\n"); err != nil {
			return 0, err
		}
		text = rest
	}
}

// Pass writes a text that must not be folded, such as a diff.
func (w *Folder) Pass(text string) {
	w.End()
	io.WriteString(w.To, text)
}

// End writes what was kept to the end.
func (w *Folder) End() {
	w.To.Write(w.kept)
	w.kept = nil
}
