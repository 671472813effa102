package texts

import "strings"

// Word is a word as one types it for a POSIX shell: in quotes where it has something in it that a shell would take for
// more than letters.
func Word(w string) string {
	if w != "" && !strings.ContainsAny(w, " \t\n*?[]{}$&;|<>()!\"'`\\#~") {
		return w
	}
	return "'" + strings.ReplaceAll(w, "'", `'\''`) + "'"
}

// Command is a command, word by word, as one types it for a POSIX shell.
func Command(words []string) string {
	quoted := make([]string, len(words))
	for i, w := range words {
		quoted[i] = Word(w)
	}
	return strings.Join(quoted, " ")
}

// Steps splits a next text at semicolons. A step that begins with the program's name is a command that works as typed;
// a comment may follow after #.
func Steps(text string) []string {
	var steps []string
	quoted := false
	begin := 0
	for i := 0; i < len(text); i++ {
		switch {
		case text[i] == '\'' && (quoted || i == 0 || strings.IndexByte(" =(", text[i-1]) >= 0):
			quoted = !quoted && strings.IndexByte(text[i+1:], '\'') >= 0
		case !quoted && strings.HasPrefix(text[i:], "; "):
			steps = append(steps, strings.TrimSpace(text[begin:i]))
			begin = i + 2
		}
	}
	return append(steps, strings.TrimSpace(text[begin:]))
}
