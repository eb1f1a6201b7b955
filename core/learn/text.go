package learn

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// MostBytes bounds a file once it is unpacked.
const MostBytes = 512 << 20

var (
	gzipMagic = []byte{0x1f, 0x8b}
	zstdMagic = []byte{0x28, 0xb5, 0x2f, 0xfd}
)

// Encodings are the names of encodings that can be told to a reader.
var Encodings = []string{"utf-8", "utf-16le", "utf-16be", "latin-1", "windows-1252"}

// unpacked takes gzip and zstd off, one within the other if need be.
func unpacked(data []byte, most int64) (out []byte, packed []string, err error) {
	for range 3 {
		var src io.Reader
		switch {
		case bytes.HasPrefix(data, gzipMagic):
			z, err := gzip.NewReader(bytes.NewReader(data))
			if err != nil {
				return nil, nil, fmt.Errorf("it starts like gzip, but is not gzip: %w", err)
			}
			src, packed = z, append(packed, "gzip")
		case bytes.HasPrefix(data, zstdMagic):
			z, err := zstd.NewReader(bytes.NewReader(data), zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(256<<20))
			if err != nil {
				return nil, nil, fmt.Errorf("it starts like zstd, but is not zstd: %w", err)
			}
			defer z.Close()
			src, packed = z, append(packed, "zstd")
		default:
			return data, packed, nil
		}
		if data, err = io.ReadAll(io.LimitReader(src, most+1)); err != nil {
			return nil, nil, fmt.Errorf("its %s is damaged or cut short: %w", packed[len(packed)-1], err)
		}
		if int64(len(data)) > most {
			return nil, nil, fmt.Errorf("it unpacks to more than %d MiB; give a shorter part of the log", most>>20)
		}
	}
	return nil, nil, errors.New("it is packed more than twice over")
}

// decoded returns text as UTF-8 without a byte order mark, and the name of the encoding that
// it was in with the reason to think so. told is one of Encodings, or empty.
func decoded(data []byte, told string) (text []byte, guess Guess, err error) {
	guess = Guess{What: "encoding", Flag: "--encoding"}
	from := func(e encoding.Encoding, name, why string) ([]byte, Guess, error) {
		guess.Is, guess.Why = name, why
		text, err := e.NewDecoder().Bytes(data)
		if err != nil {
			return nil, guess, fmt.Errorf("it cannot be read as %s: %w", name, err)
		}
		return bytes.TrimPrefix(text, []byte("\ufeff")), guess, nil
	}
	switch strings.ToLower(told) {
	case "utf-8", "utf8":
		if !utf8.Valid(data) {
			return nil, guess, fmt.Errorf("it is not UTF-8: byte %d begins no character", firstInvalid(data))
		}
		guess.Is, guess.Why = "UTF-8", "told"
		return bytes.TrimPrefix(data, []byte("\ufeff")), guess, nil
	case "utf-16le":
		return from(unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), "UTF-16", "told")
	case "utf-16be":
		return from(unicode.UTF16(unicode.BigEndian, unicode.UseBOM), "UTF-16", "told")
	case "latin-1", "latin1", "iso-8859-1":
		return from(charmap.ISO8859_1, "Latin-1", "told")
	case "windows-1252", "cp1252":
		return from(charmap.Windows1252, "Windows-1252", "told")
	case "":
	default:
		return nil, guess, fmt.Errorf("there is no encoding %q; expected one of %s", told, strings.Join(Encodings, ", "))
	}
	head := data[:min(len(data), 4096)]
	evenZero, oddZero := zeros(head)
	switch {
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")):
		if utf8.Valid(data) {
			guess.Is, guess.Why = "UTF-8", "its byte order mark"
			return data[3:], guess, nil
		}
		data = data[3:]
	case bytes.HasPrefix(data, []byte("\xff\xfe\x00\x00")), bytes.HasPrefix(data, []byte("\x00\x00\xfe\xff")):
		return nil, guess, errors.New("it is UTF-32, which is not read; write it as UTF-8")
	case bytes.HasPrefix(data, []byte("\xff\xfe")):
		return from(unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), "UTF-16", "its byte order mark")
	case bytes.HasPrefix(data, []byte("\xfe\xff")):
		return from(unicode.UTF16(unicode.BigEndian, unicode.UseBOM), "UTF-16", "its byte order mark")
	case len(head) >= 4 && oddZero*3 > len(head) && evenZero*20 < len(head):
		return from(unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM), "UTF-16", "every other byte is 0")
	case len(head) >= 4 && evenZero*3 > len(head) && oddZero*20 < len(head):
		return from(unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM), "UTF-16", "every other byte is 0")
	}
	if utf8.Valid(data) {
		guess.Is, guess.Why = "UTF-8", "all of it is"
		return data, guess, nil
	}
	if bytes.IndexByte(head, 0) >= 0 {
		return nil, guess, errors.New("it is neither text nor a Parquet file: it has zero bytes in it")
	}
	for _, b := range data {
		if b >= 0x80 && b < 0xa0 {
			return from(charmap.Windows1252, "Windows-1252", "it is not UTF-8, and has characters that Latin-1 does not have")
		}
	}
	return from(charmap.ISO8859_1, "Latin-1", "it is not UTF-8")
}

// zeros counts the bytes of 0 at even and at odd places.
func zeros(b []byte) (even, odd int) {
	for i, x := range b {
		if x == 0 && i%2 == 0 {
			even++
		} else if x == 0 {
			odd++
		}
	}
	return even, odd
}

func firstInvalid(b []byte) int {
	for i := 0; i < len(b); {
		r, n := utf8.DecodeRune(b[i:])
		if r == utf8.RuneError && n <= 1 {
			return i
		}
		i += n
	}
	return len(b)
}
