package table

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/format"
)

// A Parquet file says of itself how large everything in it is, and the library takes
// room for what it says. What could be said in a few bytes is looked at first.
const (
	mostPage     = 128 << 20 // bytes of a page, unpacked
	mostValues   = 1 << 24   // of a page
	mostElements = 400_000   // of all lists in a file's footer
	mostNested   = 32
)

var errDamaged = errors.New("the Parquet file is damaged")

// checkFooter looks at the description of a file before it is read.
func checkFooter(data []byte) error {
	if len(data) < 12 || !bytes.HasSuffix(data, []byte(ParquetMagic)) {
		return errors.New("not a whole Parquet file; was it cut short?")
	}
	tail := data[len(data)-8:]
	size := int64(binary.LittleEndian.Uint32(tail))
	if size > int64(len(data))-12 {
		return errDamaged
	}
	s := skimmer{b: data[len(data)-8-int(size) : len(data)-8]}
	if err := s.structure(0, nil); err != nil {
		return err
	}
	if s.elements > mostElements {
		return fmt.Errorf("the Parquet file describes more than %d parts; write larger row groups", mostElements)
	}
	return nil
}

// checkPages looks at every page of a file: that it is no larger than it says, that no
// larger than the bounds, and that its values are no more than it says.
func checkPages(data []byte, f *parquet.File) error {
	leaves := map[int]parquet.LeafColumn{}
	for _, path := range f.Schema().Columns() {
		l, _ := f.Schema().Lookup(path...)
		leaves[l.ColumnIndex] = l
	}
	for _, group := range f.Metadata().RowGroups {
		for i := range group.Columns {
			if err := checkColumn(data, &group.Columns[i].MetaData, leaves[i]); err != nil {
				return err
			}
		}
	}
	return nil
}

func checkColumn(data []byte, m *format.ColumnMetaData, leaf parquet.LeafColumn) error {
	from := m.DataPageOffset
	if m.DictionaryPageOffset != 0 {
		from = m.DictionaryPageOffset
	}
	if from < 0 || m.TotalCompressedSize < 0 || from > int64(len(data)) || m.TotalCompressedSize > int64(len(data))-from {
		return errDamaged
	}
	rest := data[from : from+m.TotalCompressedSize]
	for values := int64(0); len(rest) > 0 && values < m.NumValues; {
		p, n, err := pageHead(rest)
		if err != nil {
			return err
		}
		rest = rest[n:]
		if p.packed < 0 || p.packed > int64(len(rest)) || p.size < 0 || p.values < 0 {
			return errDamaged
		}
		if p.size > mostPage || p.values > mostValues {
			return fmt.Errorf("a page of the Parquet file has %d values in %d MiB; write pages of at most %d values and %d MiB", p.values,
				p.size>>20, mostValues, mostPage>>20)
		}
		if err := p.check(rest[:p.packed], m.Codec, leaf); err != nil {
			return err
		}
		rest = rest[p.packed:]
		if p.kind != int64(format.DictionaryPage) {
			values += p.values
		}
	}
	return nil
}

// A page is what is said before one.
type page struct {
	kind, size, packed, values int64
	encoding                   int64 // of values
	repeats, nulls             int64 // bytes of levels before what is packed, in a page of the second version
	repeated, nulled           int64 // encodings of levels, in one of the first
	plain                      bool  // it is not packed, whatever the column is
}

// Fields of a page's head that hold what is said of its kind.
const (
	dataV1     = 5
	dictionary = 7
	dataV2     = 8
)

// pageHead reads what is said of the page that begins here, and how long that is.
func pageHead(b []byte) (page, int, error) {
	var p page
	var told [dataV2 + 1][8]int64 // by structure and field
	s := skimmer{b: b}
	err := s.structure(0, func(outer, field int, v int64) {
		if outer >= 0 && outer < len(told) && field > 0 && field < len(told[0]) {
			told[outer][field] = v
		}
	})
	own, v1, v2 := &told[0], &told[dataV1], &told[dataV2]
	p.kind, p.size, p.packed = own[1], own[2], own[3]
	switch format.PageType(p.kind) {
	case format.DataPage:
		p.values, p.encoding, p.nulled, p.repeated = v1[1], v1[2], v1[3], v1[4]
	case format.DictionaryPage:
		p.values, p.encoding = told[dictionary][1], told[dictionary][2]
	case format.DataPageV2:
		p.values, p.encoding, p.nulls, p.repeats = v2[1], v2[4], v2[5], v2[6]
		p.plain = v2[7] == said(false)
	}
	return p, s.at, err
}

// said is what is told of a field that is true or false; 0 is told of none.
func said(yes bool) int64 {
	if yes {
		return kindTrue
	}
	return kindFalse
}

// A skimmer passes over a structure of Thrift's compact protocol, in which Parquet files
// describe themselves, without taking room for anything.
// Source: https://github.com/apache/thrift/blob/master/doc/specs/thrift-compact-protocol.md
type skimmer struct {
	b        []byte
	at       int
	elements int // of lists
}

// Kinds of values in the compact protocol.
const (
	kindTrue = iota + 1
	kindFalse
	kindByte
	kindInt16
	kindInt32
	kindInt64
	kindDouble
	kindBinary
	kindList
	kindSet
	kindMap
	kindStruct
)

func (s *skimmer) next() (byte, error) {
	if s.at >= len(s.b) {
		return 0, errDamaged
	}
	s.at++
	return s.b[s.at-1], nil
}

func (s *skimmer) varint() (uint64, error) {
	v, n := binary.Uvarint(s.b[min(s.at, len(s.b)):])
	if n <= 0 {
		return 0, errDamaged
	}
	s.at += n
	return v, nil
}

func (s *skimmer) skip(n uint64) error {
	if n > uint64(len(s.b)-s.at) {
		return errDamaged
	}
	s.at += int(n)
	return nil
}

// structure passes over one, and tells of its whole numbers, with the field of the
// structure that they are in, 0 for its own.
func (s *skimmer) structure(depth int, tell func(outer, field int, v int64)) error {
	return s.fields(depth, 0, tell)
}

func (s *skimmer) fields(depth, outer int, tell func(outer, field int, v int64)) error {
	if depth > mostNested {
		return errDamaged
	}
	for field := 0; ; {
		head, err := s.next()
		if err != nil {
			return err
		}
		if head == 0 {
			return nil
		}
		if step := int(head >> 4); step > 0 {
			field += step
		} else {
			v, err := s.varint()
			if err != nil {
				return err
			}
			field = int(unzigzag(v))
		}
		kind := head & 0xf
		switch kind {
		case kindTrue, kindFalse:
			if tell != nil && depth < 2 {
				tell(outer, field, int64(kind))
			}
		case kindInt16, kindInt32, kindInt64:
			v, err := s.varint()
			if err != nil {
				return err
			}
			if tell != nil && depth < 2 {
				tell(outer, field, unzigzag(v))
			}
		case kindStruct:
			if err := s.fields(depth+1, field, tell); err != nil {
				return err
			}
		default:
			if err := s.value(kind, depth); err != nil {
				return err
			}
		}
	}
}

func unzigzag(v uint64) int64 { return int64(v>>1) ^ -int64(v&1) }

// value passes over one of a kind.
func (s *skimmer) value(kind byte, depth int) error {
	switch kind {
	case kindTrue, kindFalse, kindByte:
		return s.skip(1)
	case kindInt16, kindInt32, kindInt64:
		_, err := s.varint()
		return err
	case kindDouble:
		return s.skip(8)
	case kindBinary:
		n, err := s.varint()
		if err != nil {
			return err
		}
		return s.skip(n)
	case kindStruct:
		return s.fields(depth+1, 0, nil)
	case kindList, kindSet:
		head, err := s.next()
		if err != nil {
			return err
		}
		n := uint64(head >> 4)
		if n == 0xf {
			if n, err = s.varint(); err != nil {
				return err
			}
		}
		return s.several(n, depth, head&0xf)
	case kindMap:
		n, err := s.varint()
		if err != nil || n == 0 {
			return err
		}
		kinds, err := s.next()
		if err != nil {
			return err
		}
		return s.several(n, depth, kinds>>4, kinds&0xf)
	}
	return errDamaged
}

// several passes over n times the kinds.
func (s *skimmer) several(n uint64, depth int, kinds ...byte) error {
	if n > uint64(len(s.b)-s.at) || depth > mostNested {
		return errDamaged
	}
	s.elements += int(n)
	for range n {
		for _, k := range kinds {
			if err := s.value(k, depth+1); err != nil {
				return err
			}
		}
	}
	return nil
}
