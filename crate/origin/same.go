package origin

import (
	"context"
	"fmt"
	"path"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// HasSame verifies that an address has the bytes of a sealed file. A result is remembered; a fresh run asks again.
func (r *Opener) HasSame(ctx context.Context, address string, f *record.File) error {
	_, err := r.same.Get(address+" "+f.Integrity, func() (bool, error) { return true, r.hasSame(ctx, address, f) })
	return err
}

func (r *Opener) hasSame(ctx context.Context, address string, f *record.File) error {
	if seen, ok := r.Cache.Seen(address); ok && !r.Fresh && seen.Integrity == f.Integrity {
		return nil
	}
	b, err := r.Fetch(ctx, address)
	if err != nil {
		return err
	}
	if now := integrity.Of(b); now != f.Integrity {
		where := ""
		if own, err := r.Cache.Get(f.Integrity); err == nil {
			where = differFrom(own, b)
		}
		return problem.Refuse(problem.NotTheBytes, "keep it local, or use another CDN", "%s has bytes other than the "+
			"sealed ones, so it can't replace the local copy\n  sealed: %s\n  there:  %s%s", address, f.Integrity, now,
			where)
	}
	if err := r.Cache.Put(f.Integrity, b); err != nil {
		return err
	}
	return r.Cache.PutSeen(source.Seen{URL: address, Integrity: f.Integrity, Name: path.Base(f.Path)})
}

// differFrom says where two texts first differ.
func differFrom(a, b []byte) string {
	n := 0
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	return fmt.Sprintf("\n  they first differ at byte %d", n+1)
}
