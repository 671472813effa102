package origin

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"io"
	"sync"

	fast "github.com/klauspost/compress/gzip"

	"merrycrate.example/merry/crate/packages"
)

// wireResult names what is kept of how large a package's files are as packed for the network.
const wireResult = "wire-2"

// maxPacked is how much is packed to tell sizes on the wire, in bytes, beyond what would be taken: of the rest of a
// very large package nobody asks for it.
const maxPacked = 4 << 20

// WireSizes says how large files are as packed for the network: those that would be taken or are offered, then the
// others in their order, up to a limit. An archive that packs file by file tells it itself.
func (r *Opener) WireSizes(o *Opened) (map[string]int64, error) {
	digest, err := o.Tree.Digest()
	if err != nil {
		return nil, err
	}
	sizes := map[string]int64{}
	if kept, ok := r.Cache.Result(wireResult, digest); ok && digest != "" && json.Unmarshal(kept, &sizes) == nil {
		return sizes, nil
	}
	wanted := o.Suggest().Paths()
	for _, op := range o.Options() {
		if op.Kind == packages.Many {
			continue
		}
		wanted = append(wanted, op.Files...)
	}
	total := int64(0)
	for _, f := range o.Files {
		switch f.Kind {
		case packages.Script, packages.Stylesheet, packages.Data, packages.Map:
			if f.ExcludedBecause == "" && total+f.Size <= maxPacked {
				total += f.Size
				wanted = append(wanted, f.Path)
			}
		}
	}
	for _, name := range wanted {
		f := o.File(name)
		if _, done := sizes[name]; done || f.Packed > 0 || f.Kind == packages.Font || f.Kind == packages.Image {
			continue
		}
		b, err := o.Tree.ReadFile(name)
		if err != nil {
			return nil, err
		}
		sizes[name] = WireSize(b)
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
const fastFrom = 256 << 10

// WireSize is a text's size in bytes as a server sends it, packed by gzip.
func WireSize(b []byte) int64 {
	pool := &packers
	if len(b) >= fastFrom {
		pool = &fastPackers
	}
	var out bytes.Buffer
	w := pool.Get().(packer)
	defer pool.Put(w)
	w.Reset(&out)
	w.Write(b)
	w.Close()
	return int64(out.Len())
}
