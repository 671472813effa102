package demo

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"slices"
	"unicode/utf16"
)

// The icon font is drawn here, so that the demo needs no font file of anybody's. It is TrueType as
// the OpenType specification 1.9 has it, with a handful of glyphs made of straight lines.

type point struct{ x, y int16 }

// glyphs are the outlines, from U+E001 on: a wave, a buoy, a pennant. The em is 1000 units.
var glyphs = [][][]point{
	{{{50, 300}, {250, 550}, {450, 350}, {650, 550}, {950, 300}, {950, 200}, {650, 420}, {450, 220}, {250, 420},
		{50, 170}}},
	{{{350, 750}, {650, 750}, {800, 150}, {200, 150}}, {{100, 100}, {900, 100}, {900, 20}, {100, 20}}},
	{{{150, 800}, {220, 800}, {220, 0}, {150, 0}}, {{240, 780}, {900, 600}, {240, 420}}},
}

const firstIcon = 0xe001

type table struct {
	tag  string
	data []byte
}

func be(values ...any) []byte {
	var b bytes.Buffer
	for _, v := range values {
		switch v := v.(type) {
		case string:
			b.WriteString(v)
		case int:
			binary.Write(&b, binary.BigEndian, int16(v))
		default:
			binary.Write(&b, binary.BigEndian, v)
		}
	}
	return b.Bytes()
}

func glyphData(contours [][]point) []byte {
	if len(contours) == 0 {
		return nil
	}
	var all []point
	var ends []uint16
	for _, c := range contours {
		all = append(all, c...)
		ends = append(ends, uint16(len(all)-1))
	}
	lo, hi := all[0], all[0]
	for _, p := range all {
		lo.x, lo.y, hi.x, hi.y = min(lo.x, p.x), min(lo.y, p.y), max(hi.x, p.x), max(hi.y, p.y)
	}
	b := be(len(contours), lo.x, lo.y, hi.x, hi.y, ends, uint16(0))
	b = append(b, bytes.Repeat([]byte{1}, len(all))...) // every point is on the curve, in two bytes each
	var last point
	for _, p := range all {
		b = append(b, be(p.x-last.x)...)
		last.x = p.x
	}
	for _, p := range all {
		b = append(b, be(p.y-last.y)...)
		last.y = p.y
	}
	for len(b)%4 != 0 {
		b = append(b, 0)
	}
	return b
}

// iconFont makes the font as a TrueType file.
func iconFont(family string) []byte {
	outlines := append([][][]point{{}, {}}, glyphs...) // .notdef and the space
	var glyf, loca, hmtx []byte
	for _, g := range outlines {
		loca = append(loca, be(uint32(len(glyf)))...)
		glyf = append(glyf, glyphData(g)...)
		hmtx = append(hmtx, be(uint16(1000), 0)...)
	}
	loca = append(loca, be(uint32(len(glyf)))...)
	n := uint16(len(outlines))

	last := uint16(firstIcon + len(glyphs) - 1)
	cmap4 := be(uint16(4), uint16(40), uint16(0), uint16(6), uint16(4), uint16(1), uint16(2),
		uint16(0x20), last, uint16(0xffff), uint16(0), uint16(0x20), uint16(firstIcon), uint16(0xffff),
		int16(1-0x20), uint16(0x10000+2-firstIcon), uint16(1), uint16(0), uint16(0), uint16(0))
	cmap := append(be(uint16(0), uint16(1), uint16(3), uint16(1), uint32(12)), cmap4...)

	var names, text []byte
	records := []struct {
		id    uint16
		value string
	}{{1, family}, {2, "Regular"}, {3, family + " 1"}, {4, family}, {5, "Version 1.0"}, {6, "BrineworkIcons"}}
	for _, r := range records {
		v := be(utf16.Encode([]rune(r.value)))
		names = append(names, be(uint16(3), uint16(1), uint16(0x409), r.id, uint16(len(v)), uint16(len(text)))...)
		text = append(text, v...)
	}
	name := append(be(uint16(0), uint16(len(records)), uint16(6+12*len(records))), append(names, text...)...)

	tables := []table{
		{"OS/2", be(uint16(4), 1000, uint16(400), uint16(5), uint16(0), 650, 600, 0, 75, 650, 600, 0, 350, 50, 300, 0,
			make([]byte, 10),
			uint32(0), uint32(0), uint32(0), uint32(0), "GULL", uint16(0x40), uint16(0x20), last, 800, -200, 0,
			uint16(800), uint16(200),
			uint32(1), uint32(0), 500, 700, uint16(0), uint16(0x20), uint16(1))},
		{"cmap", cmap},
		{"glyf", glyf},
		{"head", be(uint32(0x10000), uint32(0x10000), uint32(0), uint32(0x5f0f3cf5), uint16(3), uint16(1000),
			uint64(3600000000), uint64(3600000000), 0, 0, 1000, 800, uint16(0), uint16(8), 2, 1, 0)},
		{"hhea", be(uint32(0x10000), 800, -200, 0, uint16(1000), 0, 0, 1000, 1, 0, 0, 0, 0, 0, 0, 0, n)},
		{"hmtx", hmtx},
		{"loca", loca},
		{"maxp", be(uint32(0x10000), n, uint16(16), uint16(4), uint16(0), uint16(0), uint16(1), uint16(0), uint16(0),
			uint16(0), uint16(0), uint16(0), uint16(0), uint16(0), uint16(0))},
		{"name", name},
		{"post", be(uint32(0x30000), uint32(0), -100, 50, uint32(0), uint32(0), uint32(0), uint32(0), uint32(0))},
	}
	font := assemble(tables)
	head := bytes.Index(font, tables[3].data)
	binary.BigEndian.PutUint32(font[head+8:], 0xb1b0afba-sum(font))
	return font
}

func sum(b []byte) uint32 {
	var s uint32
	for len(b) >= 4 {
		s += binary.BigEndian.Uint32(b)
		b = b[4:]
	}
	if len(b) > 0 {
		s += binary.BigEndian.Uint32(append(slices.Clone(b), 0, 0, 0)[:4])
	}
	return s
}

func assemble(tables []table) []byte {
	n := len(tables)
	out := be(uint32(0x10000), uint16(n), uint16(128), uint16(3), uint16(n*16-128))
	at := 12 + 16*n
	var body []byte
	for _, t := range tables {
		out = append(out, be(t.tag, sum(t.data), uint32(at+len(body)), uint32(len(t.data)))...)
		body = append(body, t.data...)
		for len(body)%4 != 0 {
			body = append(body, 0)
		}
	}
	return append(out, body...)
}

// woff wraps a TrueType file as WOFF 1.0 (section 3 and 4).
func woff(font []byte) []byte {
	n := int(binary.BigEndian.Uint16(font[4:]))
	var dir, body []byte
	at := 44 + 20*n
	for i := range n {
		e := font[12+16*i:]
		offset, size := binary.BigEndian.Uint32(e[8:]), binary.BigEndian.Uint32(e[12:])
		data := font[offset : offset+size]
		var z bytes.Buffer
		w := zlib.NewWriter(&z)
		w.Write(data)
		w.Close()
		packed := z.Bytes()
		if len(packed) >= len(data) {
			packed = data
		}
		dir = append(dir, be(string(e[:4]), uint32(at+len(body)), uint32(len(packed)), size,
			binary.BigEndian.Uint32(e[4:]))...)
		body = append(body, packed...)
		for len(body)%4 != 0 {
			body = append(body, 0)
		}
	}
	head := be("wOFF", uint32(0x10000), uint32(at+len(body)), uint16(n), uint16(0), uint32(len(font)), uint16(1),
		uint16(0), make([]byte, 20))
	return append(head, append(dir, body...)...)
}
