package table

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math/bits"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/snappy"
	"github.com/klauspost/compress/zstd"
	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/format"
	"github.com/pierrec/lz4/v4"
)

// moreValues is how many more values than a page has may be written, to fill a group.
const moreValues = 512

// plainDictionary is how older writers call an index, and a dictionary itself.
const plainDictionary format.Encoding = 2

// check looks at a page's bytes: what they unpack to, and how many values they make. A
// few bytes can say that one value comes a million times over.
// Source: https://parquet.apache.org/docs/file-format/data-pages/encodings/
func (p page) check(b []byte, codec format.CompressionCodec, leaf parquet.LeafColumn) error {
	var repeats, nulls []byte
	if p.kind == int64(format.DataPageV2) {
		if p.repeats < 0 || p.nulls < 0 || p.repeats > int64(len(b)) || p.nulls > int64(len(b))-p.repeats || p.repeats+p.nulls > p.size {
			return errDamaged
		}
		repeats, nulls, b = b[:p.repeats], b[p.repeats:p.repeats+p.nulls], b[p.repeats+p.nulls:]
		p.size -= p.repeats + p.nulls
	}
	b, err := p.unpacked(b, codec)
	if err != nil {
		return err
	}
	if p.kind == int64(format.DataPage) {
		if repeats, b, err = levels(b, leaf.MaxRepetitionLevel, p.repeated); err != nil {
			return err
		}
		if nulls, b, err = levels(b, leaf.MaxDefinitionLevel, p.nulled); err != nil {
			return err
		}
	}
	if leaf.MaxRepetitionLevel > 0 && !p.runs(repeats, bits.Len(uint(leaf.MaxRepetitionLevel))) ||
		leaf.MaxDefinitionLevel > 0 && !p.runs(nulls, bits.Len(uint(leaf.MaxDefinitionLevel))) {
		return errDamaged
	}
	return p.checkValues(b)
}

// levels takes the levels of a page of the first version from before its values.
func levels(b []byte, most int, encoding int64) (list, rest []byte, err error) {
	if most == 0 {
		return nil, b, nil
	}
	if encoding != int64(format.RLE) {
		return nil, nil, fmt.Errorf("levels of the Parquet file are written as %s; write them as RLE, as is usual", format.Encoding(encoding))
	}
	if len(b) < 4 {
		return nil, nil, errDamaged
	}
	n := binary.LittleEndian.Uint32(b)
	if b = b[4:]; uint64(n) > uint64(len(b)) {
		return nil, nil, errDamaged
	}
	return b[:n], b[n:], nil
}

// checkValues looks at how many values there are, by how they are written.
func (p page) checkValues(b []byte) error {
	ok := true
	switch e := format.Encoding(p.encoding); e {
	case format.Plain, format.ByteStreamSplit: // as many as there are bytes for
	case plainDictionary, format.RLEDictionary:
		if p.kind != int64(format.DictionaryPage) && len(b) > 0 {
			ok = p.runs(b[1:], int(b[0]))
		}
	case format.RLE:
		if len(b) > 4 {
			ok = p.runs(b[4:], 1)
		}
	case format.DeltaBinaryPacked, format.DeltaLengthByteArray:
		if len(b) > 0 {
			ok = p.deltas(b)
		}
	case format.DeltaByteArray: // words by what of the one before they begin with
		if len(b) > 0 {
			size := p.sharing(b)
			if ok = size >= 0; size > mostPage {
				return fmt.Errorf("words of a page of the Parquet file come to more than %d MiB; write smaller pages", mostPage>>20)
			}
		}
	default:
		return fmt.Errorf("a column of the Parquet file is written as %s; write it plainly or with a dictionary", e)
	}
	if !ok {
		return errDamaged
	}
	return nil
}

// runs reports whether runs of so many bits a value are about as many values as the page
// has.
func (p page) runs(b []byte, width int) bool {
	if width > 32 {
		return false
	}
	for n := uint64(0); len(b) > 0; {
		u, w := binary.Uvarint(b)
		if w <= 0 || u>>1 > mostValues {
			return false
		}
		b = b[w:]
		skip := uint64(width+7) / 8 // the value that is repeated
		if n += u >> 1; u&1 != 0 {
			n += 7 * (u >> 1) // groups of eight
			skip = (u >> 1) * uint64(width)
		}
		if n > uint64(p.values)+moreValues {
			return false
		}
		b = b[min(skip, uint64(len(b))):] // the last group may be cut short
	}
	return true
}

// A deltaHead is what is said before differences.
type deltaHead struct {
	block, parts, values uint64 // values of a block, parts of it, values in all
}

// deltas reports whether differences are of no more values than the page has.
func (p page) deltas(b []byte) bool {
	h, _ := deltaHeadOf(b)
	return h.parts > 0 && h.values <= uint64(p.values)
}

// deltaHeadOf reads what is said before differences; parts is 0 where it cannot be.
func deltaHeadOf(b []byte) (h deltaHead, rest []byte) {
	for _, x := range []*uint64{&h.block, &h.parts, &h.values} {
		u, w := binary.Uvarint(b)
		if w <= 0 {
			return deltaHead{}, nil
		}
		*x, b = u, b[w:]
	}
	if h.block == 0 || h.block > mostValues || h.parts == 0 || h.block%h.parts != 0 || h.block/h.parts%32 != 0 {
		return deltaHead{}, nil
	}
	return h, b
}

// sharing is how many bytes words come to that share their beginnings: the sum of the
// lengths of what they share and of what they do not; below 0 where it cannot be read.
func (p page) sharing(b []byte) int64 {
	shared, rest := p.sum(b)
	if shared < 0 {
		return -1
	}
	own, _ := p.sum(rest)
	if own < 0 {
		return -1
	}
	return shared + own
}

// sum adds lengths up that are written as differences, and returns what follows them;
// below 0 where they cannot be read or one is below 0.
func (p page) sum(b []byte) (sum int64, rest []byte) {
	h, b := deltaHeadOf(b)
	value, w := binary.Varint(b)
	if h.parts == 0 || h.values > uint64(p.values) || w <= 0 {
		return -1, nil
	}
	if b = b[w:]; h.values == 0 {
		return 0, b
	}
	if value < 0 || value > mostPage {
		return -1, nil
	}
	sum = value
	for left := h.values - 1; left > 0; {
		least, w := binary.Varint(b)
		if w <= 0 || uint64(len(b)-w) < h.parts {
			return -1, nil
		}
		widths := b[w : w+int(h.parts)]
		b = b[w+int(h.parts):]
		for _, width := range widths {
			if left == 0 {
				break
			}
			n := h.block / h.parts
			size := int(n) * int(width) / 8
			if width > 32 || size > len(b) {
				return -1, nil
			}
			for i := range min(n, left) {
				value += least + bitsAt(b, int(i)*int(width), int(width))
				if value < 0 || value > mostPage {
					return -1, nil
				}
				sum += value
			}
			b, left = b[size:], left-min(n, left)
		}
	}
	return sum, b
}

// bitsAt reads so many bits from a place on, the least first.
func bitsAt(b []byte, at, width int) int64 {
	v := uint64(0)
	for i := 0; i < width; {
		k := at + i
		take := min(8-k%8, width-i)
		v |= uint64(b[k/8]>>(k%8)&(1<<take-1)) << i
		i += take
	}
	return int64(v)
}

// unpacked returns what is packed, which is no more than the page says.
func (p page) unpacked(b []byte, codec format.CompressionCodec) ([]byte, error) {
	if codec == format.Uncompressed || p.plain || len(b) == 0 {
		return b, nil
	}
	var src io.Reader
	switch codec {
	case format.Snappy:
		if n, err := snappy.DecodedLen(b); err != nil || int64(n) > p.size {
			return nil, errDamaged
		}
		out, err := snappy.Decode(nil, b)
		if err != nil {
			return nil, errDamaged
		}
		return out, nil
	case format.Lz4Raw:
		out := make([]byte, p.size)
		n, err := lz4.UncompressBlock(b, out)
		if err != nil {
			return nil, errDamaged
		}
		return out[:n], nil
	case format.Gzip:
		z, err := gzip.NewReader(bytes.NewReader(b))
		if err != nil {
			return nil, errDamaged
		}
		src = z
	case format.Zstd:
		z, err := zstd.NewReader(bytes.NewReader(b), zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true),
			zstd.WithDecoderMaxMemory(mostPage))
		if err != nil {
			return nil, errDamaged
		}
		defer z.Close()
		src = z
	case format.Brotli:
		src = brotli.NewReader(bytes.NewReader(b))
	default:
		return nil, fmt.Errorf("the Parquet file is packed with %s; write it with Snappy, Gzip or Zstandard", codec)
	}
	var out bytes.Buffer
	out.Grow(int(min(p.size+1, 8*int64(len(b))+bytes.MinRead)))
	if n, err := io.Copy(&out, io.LimitReader(src, p.size+1)); err != nil || n > p.size {
		return nil, errDamaged
	}
	return out.Bytes(), nil
}
