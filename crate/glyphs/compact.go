package glyphs

import (
	"bytes"
	"encoding/binary"

	"github.com/andybalholm/brotli"
)

// known are the names of tables that have a number in WOFF File Format 2.0 (section 4.1).
var known = []string{"cmap", "head", "hhea", "hmtx", "maxp", "name", "OS/2", "post", "cvt ", "fpgm", "glyf", "loca",
	"prep", "CFF ", "VORG", "EBDT", "EBLC", "gasp", "hdmx", "kern",
	"LTSH", "PCLT", "VDMX", "vhea", "vmtx", "BASE", "GDEF", "GPOS", "GSUB", "EBSC", "JSTF", "MATH", "CBDT", "CBLC",
	"COLR", "CPAL", "SVG ", "sbix", "acnt", "avar", "bdat", "bloc", "bsln",
	"cvar", "fdsc", "feat", "fmtx", "fvar", "gvar", "hsty", "just", "lcar", "mort", "morx", "opbd", "prop", "trak",
	"Zapf", "Silf", "Glat", "Gloc", "Feat", "Sill"}

// A stream is read from its beginning. Once something was not there it is broken, and everything else read of it is 0.
type stream struct {
	b      []byte
	broken bool
}

func (s *stream) take(n int) []byte {
	if n < 0 || n > len(s.b) {
		s.broken = true
		return make([]byte, max(0, min(n, 8)))
	}
	b := s.b[:n:n]
	s.b = s.b[n:]
	return b
}

func (s *stream) u8() int  { return int(s.take(1)[0]) }
func (s *stream) u16() int { return int(binary.BigEndian.Uint16(s.take(2))) }
func (s *stream) u32() int { return int(binary.BigEndian.Uint32(s.take(4))) }

// base128 reads a number of 7 bits a byte (UIntBase128, section 4.1).
func (s *stream) base128() int {
	n := 0
	for range 5 {
		b := s.u8()
		n = n<<7 | b&0x7f
		if b&0x80 == 0 {
			return n
		}
	}
	s.broken = true
	return 0
}

// short255 reads a number that is mostly below 253 (255UInt16, section 4.1).
func (s *stream) short255() int {
	switch c := s.u8(); c {
	case 253:
		return s.u16()
	case 255:
		return 253 + s.u8()
	case 254:
		return 506 + s.u8()
	default:
		return c
	}
}

// compactTables reads WOFF File Format 2.0: one text packed by Brotli (RFC 7932) with all tables in it, that of the
// outlines in a form of its own.
func compactTables(b []byte) (tables, error) {
	const header = 48
	if len(b) < header || string(b[4:8]) == "ttcf" {
		return nil, errBroken
	}
	type entry struct {
		name        string
		length      int
		transformed bool
	}
	in, all := &stream{b: b[header:]}, 0
	var entries []entry
	for range int(binary.BigEndian.Uint16(b[12:])) {
		flags := in.u8()
		e := entry{}
		if n := flags & 0x3f; n < len(known) {
			e.name = known[n]
		} else {
			e.name = string(in.take(4))
		}
		e.length = in.base128()
		e.transformed = flags>>6 != 0
		if e.name == "glyf" || e.name == "loca" {
			e.transformed = flags>>6 != 3
		}
		if e.transformed {
			e.length = in.base128()
		}
		all += e.length
		entries = append(entries, e)
	}
	if in.broken || all > maxTables {
		return nil, errBroken
	}
	text,
		err := unpacked(
		brotli.NewReader(bytes.NewReader(in.take(min(len(in.b), int(binary.BigEndian.Uint32(b[20:])))))), uint32(all))
	if err != nil {
		return nil, err
	}
	list, body := tables{}, &stream{b: text}
	var outlines []byte
	for _, e := range entries {
		switch t := body.take(e.length); {
		case e.name == "glyf" && e.transformed:
			outlines = t
		case !e.transformed:
			list[e.name] = t
		}
	}
	if outlines != nil {
		if list["glyf"], list["loca"], err = rebuilt(outlines); err != nil {
			return nil, err
		}
		if len(list["head"]) < 54 {
			return nil, errBroken
		}
		list["head"] = bytes.Clone(list["head"])
		list["head"][51] = 1 // places of outlines have four bytes
	}
	return list, nil
}

// rebuilt makes the tables glyf and loca of the transformed one (section 5.1). Boxes and instructions, which outlines
// don't need, are left out.
func rebuilt(b []byte) (glyf, loca []byte, err error) {
	in := &stream{b: b}
	in.take(4)
	count := in.u16()
	in.take(2)
	var sizes [7]int
	for i := range sizes {
		sizes[i] = in.u32()
	}
	contours, points, flags, triplets, composite := &stream{b: in.take(sizes[0])}, &stream{b: in.take(sizes[1])},
		&stream{b: in.take(sizes[2])}, &stream{b: in.take(sizes[3])}, &stream{b: in.take(sizes[4])}
	streams := []*stream{in, contours, points, flags, triplets, composite}
	for range count {
		loca = binary.BigEndian.AppendUint32(loca, uint32(len(glyf)))
		n := contours.u16()
		switch {
		case n == 0xffff:
			glyf = append(append(glyf, 0xff, 0xff), make([]byte, 8)...)
			glyf = appendComposite(glyf, composite, triplets)
		case n > 0:
			glyf = appendSimple(glyf, n, points, flags, triplets)
		}
		glyf = append(glyf, make([]byte, -len(glyf)&3)...)
		for _, s := range streams {
			if s.broken || len(glyf) > maxTables {
				return nil, nil, errBroken
			}
		}
	}
	return glyf, binary.BigEndian.AppendUint32(loca, uint32(len(glyf))), nil
}

// Flags of a part of a composite outline (OpenType 1.9, chapter "glyf").
const (
	wordArguments   = 0x1
	oneScale        = 0x8
	moreParts       = 0x20
	twoScales       = 0x40
	fourScales      = 0x80
	hasInstructions = 0x100
)

// appendComposite writes an outline that is made of others.
func appendComposite(out []byte, in, triplets *stream) []byte {
	instructions := false
	for more := true; more && !in.broken; {
		flags := in.u16()
		instructions = instructions || flags&hasInstructions != 0
		more = flags&moreParts != 0
		length := 4
		if flags&wordArguments != 0 {
			length = 6
		}
		switch {
		case flags&oneScale != 0:
			length += 2
		case flags&twoScales != 0:
			length += 4
		case flags&fourScales != 0:
			length += 8
		}
		out = binary.BigEndian.AppendUint16(out, uint16(flags&^hasInstructions))
		out = append(out, in.take(length)...)
	}
	if instructions {
		triplets.short255()
	}
	return out
}

// appendSimple writes an outline of points.
func appendSimple(out []byte, contours int, points, flags, triplets *stream) []byte {
	out = append(binary.BigEndian.AppendUint16(out, uint16(contours)), make([]byte, 8)...)
	last := -1
	for range contours {
		last += points.short255()
		out = binary.BigEndian.AppendUint16(out, uint16(last))
		if points.broken {
			return out
		}
	}
	out = append(out, 0, 0) // no instructions
	var xs, ys []byte
	for range last + 1 {
		if flags.broken || triplets.broken {
			break
		}
		flag := flags.u8()
		dx, dy := triplet(flag&0x7f, triplets)
		out = append(out, byte(1-flag>>7)) // on the curve or not; both ways have two bytes
		xs, ys = binary.BigEndian.AppendUint16(xs, uint16(dx)), binary.BigEndian.AppendUint16(ys, uint16(dy))
	}
	triplets.short255()
	return append(append(out, xs...), ys...)
}

// triplet reads the way to the next point (section 5.2).
func triplet(flag int, in *stream) (dx, dy int) {
	signed := func(flag, n int) int {
		if flag&1 == 0 {
			return -n
		}
		return n
	}
	switch {
	case flag < 10:
		return 0, signed(flag, (flag&14)<<7+in.u8())
	case flag < 20:
		return signed(flag, ((flag-10)&14)<<7+in.u8()), 0
	case flag < 84:
		a, b := flag-20, in.u8()
		return signed(flag, 1+a&0x30+b>>4), signed(flag>>1, 1+(a&0x0c)<<2+b&0x0f)
	case flag < 120:
		a := flag - 84
		b := in.take(2)
		return signed(flag, 1+(a/12)<<8+int(b[0])), signed(flag>>1, 1+((a%12)>>2)<<8+int(b[1]))
	case flag < 124:
		b := in.take(3)
		return signed(flag, int(b[0])<<4+int(b[1])>>4), signed(flag>>1, int(b[1]&0x0f)<<8+int(b[2]))
	}
	b := in.take(4)
	return signed(flag, int(b[0])<<8+int(b[1])), signed(flag>>1, int(b[2])<<8+int(b[3]))
}
