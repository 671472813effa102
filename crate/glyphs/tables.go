package glyphs

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
)

// tables are the tables of a font by their names of four letters (OpenType 1.9, chapter "Organization of an OpenType
// Font").
type tables map[string][]byte

// maxTables bounds how large the tables of a font may be when they are unpacked, in bytes, in all.
const maxTables = 32 << 20

var errBroken = errors.New("the font is damaged")

// tablesOf reads the tables of a font in any of its containers: as it is (sfnt), packed table by table (WOFF 1.0),
// packed as a whole (WOFF 2.0).
func tablesOf(b []byte) (tables, error) {
	if len(b) < 12 {
		return nil, errBroken
	}
	switch string(b[:4]) {
	case "\x00\x01\x00\x00", "true", "OTTO":
		return plainTables(b)
	case "wOFF":
		return packedTables(b)
	case "wOF2":
		return compactTables(b)
	}
	return nil, fmt.Errorf("%q is not the beginning of a known font format", b[:4])
}

// part is a piece of a text, nil if that has none there.
func part(b []byte, from, length uint32) []byte {
	if uint64(from)+uint64(length) > uint64(len(b)) {
		return nil
	}
	return b[from : from+length : from+length]
}

func plainTables(b []byte) (tables, error) {
	list := tables{}
	for i := range int(binary.BigEndian.Uint16(b[4:])) {
		entry := part(b, uint32(12+16*i), 16)
		if entry == nil {
			return nil, errBroken
		}
		t := part(b, binary.BigEndian.Uint32(entry[8:]), binary.BigEndian.Uint32(entry[12:]))
		if t == nil {
			return nil, errBroken
		}
		list[string(entry[:4])] = t
	}
	return list, nil
}

// packedTables reads WOFF File Format 1.0, sections 4 and 5.
func packedTables(b []byte) (tables, error) {
	const header, record = 44, 20
	list, all := tables{}, uint64(0)
	if len(b) < header {
		return nil, errBroken
	}
	for i := range int(binary.BigEndian.Uint16(b[12:])) {
		entry := part(b, uint32(header+record*i), record)
		if entry == nil {
			return nil, errBroken
		}
		packed, length := binary.BigEndian.Uint32(entry[8:]), binary.BigEndian.Uint32(entry[12:])
		t := part(b, binary.BigEndian.Uint32(entry[4:]), packed)
		if all += uint64(length); t == nil || packed > length || all > maxTables {
			return nil, errBroken
		}
		if packed < length {
			r, err := zlib.NewReader(bytes.NewReader(t))
			if err != nil {
				return nil, err
			}
			if t, err = unpacked(r, length); err != nil {
				return nil, err
			}
		}
		list[string(entry[:4])] = t
	}
	return list, nil
}

// unpacked reads just so many bytes.
func unpacked(r io.Reader, length uint32) ([]byte, error) {
	b, err := io.ReadAll(io.LimitReader(r, int64(length)+1))
	if err == nil && len(b) != int(length) {
		err = errBroken
	}
	return b, err
}

// outlines are the tables from which outlines are read.
var outlines = []string{"CFF ", "cmap", "glyf", "head", "loca", "maxp"}

// sfnt writes those tables as a plain font, with measures that say nothing where readers ask for some.
func (t tables) sfnt() ([]byte, error) {
	if len(t["maxp"]) < 6 {
		return nil, errBroken
	}
	glyphs := int(binary.BigEndian.Uint16(t["maxp"][4:]))
	all := tables{"hhea": make([]byte, 36), "hmtx": make([]byte, 4+2*max(0, glyphs-1)), "post": make([]byte, 32)}
	all["hhea"][35], all["post"][1] = 1, 3 // one measure for all; no names of glyphs
	for _, n := range outlines {
		if t[n] != nil {
			all[n] = t[n]
		}
	}
	flavour := "\x00\x01\x00\x00"
	if all["CFF "] != nil {
		flavour = "OTTO"
	}
	head := append([]byte(flavour), 0, byte(len(all)), 0, 0, 0, 0, 0, 0)
	var body []byte
	for _, n := range slices.Sorted(maps.Keys(all)) {
		head = append(append(head, n...), 0, 0, 0, 0) // nobody reads the sum
		head = binary.BigEndian.AppendUint32(head, uint32(12+16*len(all)+len(body)))
		head = binary.BigEndian.AppendUint32(head, uint32(len(all[n])))
		body = append(append(body, all[n]...), make([]byte, -len(all[n])&3)...)
	}
	return append(head, body...), nil
}
