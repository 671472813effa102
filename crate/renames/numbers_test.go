package renames

import (
	"flag"
	"fmt"
	"os"
	"reflect"
	"strings"
	"testing"
)

var update = flag.Bool("update", false, "write the golden files anew")

// TestNumbers makes each number of the table smaller and larger, and says what that changes over the made-up frameworks
// of the corpus. The golden file is the evidence for each: a number that matters nowhere is not among its lines.
func TestNumbers(t *testing.T) {
	if testing.Short() {
		t.Skip("it judges the corpus for each number")
	}
	corpus := []struct {
		name string
		m    *maker
	}{{"framework", framework()}, {"grids", grids()}}
	all := func() (out []judged) {
		for _, c := range corpus {
			out = append(out, judge(c.m))
		}
		return out
	}
	usual := all()
	var b strings.Builder
	line := func(name string, value float64, got []judged) {
		fmt.Fprintf(&b, "%-18s %5.2f ", name, value)
		for i, c := range corpus {
			j := got[i]
			fmt.Fprintf(&b, "  %s: %d right, %d of them sure, %d wrong, %d of them "+
				"sure", c.name, j.right, j.sure, j.wrong,
				j.sureWrong)
		}
		b.WriteString("\n")
	}
	line("as they are", 0, usual)
	v := reflect.ValueOf(&numbers).Elem()
	idle := []string{}
	for i := range v.NumField() {
		name, was := v.Type().Field(i).Name, *fieldOf(i)
		matters := false
		for _, part := range []float64{0.8, 1.25} {
			*fieldOf(i) = was * part
			if got := all(); !reflect.DeepEqual(got, usual) {
				line(name, was*part, got)
				matters = true
			}
			*fieldOf(i) = was
		}
		if !matters {
			idle = append(idle, name)
		}
	}
	fmt.Fprintf(&b, "a fifth less or a quarter more changes nothing here: %s\n", strings.Join(idle, ", "))
	const golden = "testdata/numbers.txt"
	if *update {
		if err := os.MkdirAll("testdata", 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(golden, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(golden)
	if err != nil || string(want) != b.String() {
		t.Errorf("%s says something else than\n%s", golden, b.String())
	}
}

// fieldOf is a number of the table by its place in it.
func fieldOf(i int) *float64 {
	f, _ := reflect.ValueOf(&numbers).Elem().Field(i).Addr().Interface().(*float64)
	return f
}
