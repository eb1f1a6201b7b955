package document

import (
	"bytes"
	"encoding/binary"
	"errors"
	"unicode/utf16"
	"unicode/utf8"
)

// plain returns data as UTF-8 without a byte order mark, as files are that some editors
// write: out of UTF-16 where a mark tells its order. The error names what it is instead.
func plain(data []byte) ([]byte, error) {
	var order binary.ByteOrder
	switch {
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")):
		return data[3:], nil
	case bytes.HasPrefix(data, []byte("\xff\xfe\x00\x00")), bytes.HasPrefix(data, []byte("\x00\x00\xfe\xff")):
		return nil, errors.New("it is UTF-32; save it as UTF-8")
	case bytes.HasPrefix(data, []byte("\xff\xfe")):
		order = binary.LittleEndian
	case bytes.HasPrefix(data, []byte("\xfe\xff")):
		order = binary.BigEndian
	case len(data) >= 4 && (data[0] == 0 || data[1] == 0):
		return nil, errors.New("it looks like UTF-16 or UTF-32 without a mark of its order; save it as UTF-8")
	default:
		return data, nil
	}
	data = data[2:]
	if len(data)%2 != 0 {
		return nil, errors.New("it is UTF-16 that ends in half a character; save it as UTF-8")
	}
	units := make([]uint16, len(data)/2)
	for i := range units {
		units[i] = order.Uint16(data[2*i:])
	}
	var out []byte
	for _, r := range utf16.Decode(units) {
		out = utf8.AppendRune(out, r)
	}
	return out, nil
}

// looksLike says what a file seems to be that is not readable as YAML; empty: nothing that
// is known.
func looksLike(data []byte) string {
	if bytes.Contains(data, []byte("{{")) && bytes.Contains(data, []byte("}}")) {
		return ". It looks like a template of a chart that has not been filled in: render the chart, and name what comes out"
	}
	return ""
}
