package origin

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"io"
	"slices"
	"sync"

	fast "github.com/klauspost/compress/gzip"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/record"
)

// wireResult names what is kept of how large a package's files are as packed for the network.
const wireResult = "wire-3"

// maxPacked is how much is packed to tell sizes on the wire, in bytes, beyond what would be taken: of the rest of a
// large package nobody asks for it.
const maxPacked = 2 << 20

// WireSizes says how large files are as packed for the network: those that would be taken, then what is offered and
// the others in their order, up to a limit. An archive that packs file by file tells it itself.
func (r *Opener) WireSizes(ctx context.Context, o *Opened) (map[string]int64, error) {
	digest, err := o.Tree.Digest()
	if err != nil {
		return nil, err
	}
	sizes := map[string]int64{}
	if kept, ok := r.Cache.Result(wireResult, digest); ok && digest != "" && json.Unmarshal(kept, &sizes) == nil {
		return sizes, nil
	}
	wanted := o.InBuild(o.Suggest(), record.Minified).Paths()
	var more []string
	for _, op := range o.Options() {
		if op.Kind != packages.Many {
			more = append(more, op.Files...)
		}
	}
	for _, f := range o.Files {
		switch f.Kind {
		case packages.Script, packages.Stylesheet, packages.Data:
			if f.ExcludedBecause == "" {
				more = append(more, f.Path)
			}
		}
	}
	total := int64(0)
	for _, name := range more {
		if f := o.File(name); total+f.Size <= maxPacked {
			total += f.Size
			wanted = append(wanted, name)
		}
	}
	slices.Sort(wanted)
	wanted = slices.DeleteFunc(slices.Compact(wanted), func(name string) bool {
		f := o.File(name)
		return f.Packed > 0 || f.Kind == packages.Font || f.Kind == packages.Image
	})
	packed, err := parallel.Map(ctx, wanted, func(_ context.Context, name string) (int64, error) {
		b, err := o.Tree.ReadFile(name)
		return WireSize(b), err
	})
	if err != nil {
		return nil, err
	}
	for i, name := range wanted {
		sizes[name] = packed[i]
	}
	if b, err := json.Marshal(sizes); err == nil && digest != "" {
		r.Cache.PutResult(wireResult, digest, b)
	}
	return sizes, nil
}

// A packer packs as a server does.
type packer interface {
	io.WriteCloser
	Reset(w io.Writer)
}

// packers are used again: making one costs more than packing a small file. Large files have a faster one, whose sizes
// are a percent or two off.
var packers, fastPackers = sync.Pool{New: func() any { w, _ := gzip.NewWriterLevel(nil, 6); return w }},
	sync.Pool{New: func() any { w, _ := fast.NewWriterLevel(nil, 7); return w }}

// fastFrom is from which size on files are packed fast, in bytes.
const fastFrom = 32 << 10

// WireSize is a text's size in bytes as a server sends it, packed by gzip.
func WireSize(b []byte) int64 {
	pool := &packers
	if len(b) >= fastFrom {
		pool = &fastPackers
	}
	var out counter
	w := pool.Get().(packer)
	defer pool.Put(w)
	w.Reset(&out)
	w.Write(b)
	w.Close()
	return int64(out)
}

// A counter counts what is written to it.
type counter int64

func (c *counter) Write(b []byte) (int, error) {
	*c += counter(len(b))
	return len(b), nil
}
