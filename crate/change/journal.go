package change

import (
	"crypto/hmac"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
)

const journalFormat = 2

// maxUndone is how many changes can be undone; older ones are forgotten.
const maxUndone = 20

// The ends of a set folder's name say how far the set is. A set that has come to its end is gone by one rename, and its
// files are removed afterwards: a stop in between leaves a folder that nobody reads.
const (
	drafted = ".draft"
	going   = ".going"
	done    = ".done"
	undone  = ".undone"
	gone    = ".gone"
	aside   = ".aside" // given up by the user's wish, and kept
)

const journalFile = "journal.json"

type journal struct {
	Title   string    `json:"title"`
	When    time.Time `json:"when,omitzero"`     // when it was committed
	Undoes  string    `json:"undoes,omitempty"`  // the change that this reverts
	Again   string    `json:"again,omitempty"`   // the undoing that this reverts
	Folders []string  `json:"folders,omitempty"` // the ones that the set makes, outermost first
	Emptied []string  `json:"emptied,omitempty"` // the ones that go where the set leaves them empty, outermost first
	Entries []Entry   `json:"entries"`
}

// Untitled reports whether the change has no title yet.
func (s *Set) Untitled() bool { return s.journal.Title == "" }

// signed is a journal as it is written.
type signed struct {
	Format int             `json:"format"`
	Proof  string          `json:"proof"` // that this user wrote the change on this machine
	Change json.RawMessage `json:"change"`
}

// text writes a journal down.
func (j *journal) text(key Key) ([]byte, error) {
	k, err := key()
	if err != nil {
		return nil, err
	}
	b, err := json.Marshal(j)
	if err != nil {
		return nil, err
	}
	return json.Marshal(signed{journalFormat, proof(k, b), b})
}

// errForeign is the error of a journal that this user did not write on this machine.
var errForeign = errors.New("it was not written by you on this machine")

// readJournal reads the journal of a set. Nothing in a foreign one is believed.
func readJournal(on *disk.Folder, set string, key Key) (*journal, error) {
	p, err := on.Enter(changes + "/" + set)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	b, _, err := p.Read(journalFile, disk.MaxRecord)
	if err != nil {
		return nil, err
	}
	var s signed
	if json.Unmarshal(b, &s) != nil {
		return nil, errForeign
	}
	if s.Format > journalFormat {
		return nil, problem.Refuse(problem.RecordNewer, "use the newer program that wrote it", "%s has format %d, and "+
			"this program knows %d", changes+"/"+set, s.Format, journalFormat)
	}
	k, err := key()
	if err != nil {
		return nil, err
	}
	if s.Format < journalFormat || !hmac.Equal([]byte(s.Proof), []byte(proof(k, s.Change))) {
		return nil, errForeign
	}
	var j journal
	if json.Unmarshal(s.Change, &j) != nil || !j.local() {
		return nil, errForeign
	}
	return &j, nil
}

// local reports whether a journal speaks of files of the project alone, and makes their paths.
func (j *journal) local() bool {
	digits := func(s string) bool { return strings.Trim(s, "0123456789") == "" }
	for i := range j.Entries {
		e := &j.Entries[i]
		e.at = paths.FoundInProject(e.Path)
		if e.at.IsZero() || paths.Reserved(e.Path) || e.Staged == "" || !digits(e.Staged) {
			return false
		}
	}
	for _, f := range slices.Concat(j.Folders, j.Emptied) {
		if paths.FoundInProject(f).IsZero() || paths.Reserved(f) {
			return false
		}
	}
	return digits(j.Undoes) && digits(j.Again)
}

// empties notes the folders that removing files may leave empty: they go with their last file. What undoing leaves
// empty is known by what the change had made.
func (j *journal) empties() {
	if j.Undoes != "" {
		return
	}
	stays := map[string]bool{".": true}
	for _, e := range j.Entries {
		for dir := path.Dir(e.Path); !e.Remove && !stays[dir]; dir = path.Dir(dir) {
			stays[dir] = true
		}
	}
	for _, e := range j.Entries {
		for dir := path.Dir(e.Path); e.Remove && !stays[dir]; dir = path.Dir(dir) {
			stays[dir] = true
			j.Emptied = append(j.Emptied, dir)
		}
	}
	slices.Sort(j.Emptied)
}

// sets lists the set folders whose name ends in state, oldest first.
func sets(on *disk.Folder, state string) ([]string, error) {
	p, err := on.Enter(changes)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer p.Close()
	entries, err := p.List()
	var list []string
	for _, e := range entries {
		if e.IsDir() && strings.HasSuffix(e.Name(), state) {
			list = append(list, e.Name())
		}
	}
	slices.Sort(list)
	return list, err
}

func nextID(on *disk.Folder) (string, error) {
	all, err := sets(on, "")
	if err != nil {
		return "", err
	}
	highest := 0
	for _, name := range all {
		id, _, _ := strings.Cut(name, ".")
		if n, err := strconv.Atoi(id); err == nil {
			highest = max(highest, n)
		}
	}
	return fmt.Sprintf("%06d", highest+1), nil
}

// forget removes a set: it is gone by one rename, whatever comes after.
func forget(all *disk.Entry, set string) error {
	id, _, _ := strings.Cut(set, ".")
	left := set
	if !strings.HasSuffix(set, gone) {
		left = id + gone
		for n := 2; ; n++ {
			if _, err := all.Stat(left); errors.Is(err, fs.ErrNotExist) {
				break
			}
			left = fmt.Sprintf("%s-%d%s", id, n, gone)
		}
		if err := all.Move(set, all, left); err != nil {
			return err
		}
	}
	return all.RemoveAll(left)
}
