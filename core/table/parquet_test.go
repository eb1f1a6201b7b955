package table

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/compress"
	"github.com/parquet-go/parquet-go/format"
)

// record has a column of each kind that files come with.
type record struct {
	Pod     string    `parquet:"pod,dict"`
	CPU     float64   `parquet:"cpu"`
	Share   float32   `parquet:"share"`
	Memory  int64     `parquet:"memory"`
	Small   int32     `parquet:"small"`
	Killed  bool      `parquet:"killed"`
	At      time.Time `parquet:"at,timestamp(microsecond)"`
	Labels  []string  `parquet:"labels,list"`
	Comment *string   `parquet:"comment,optional"`
	Other   string    `parquet:"other"`
}

func written(t testing.TB, list []record, options ...parquet.WriterOption) []byte {
	t.Helper()
	var b bytes.Buffer
	w := parquet.NewGenericWriter[record](&b, options...)
	if _, err := w.Write(list); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// columns are ours; mapping one, that the others are left out which are not.
var columns = Columns{
	Names: []string{"pod", "cpu", "share", "memory", "small", "killed", "at", "labels", "comment"},
	Lists: []string{"labels"}, Must: []string{"pod", "at"}, Theirs: map[string]string{"pod": "pod"},
}

// read reads a table whose rows' fields are asked for by name.
func read(src io.Reader, c Columns, row func(get func(string) string, line int) error) error {
	return Read(src, c, func(field Row, line int) error {
		return row(func(name string) string {
			if i := slices.Index(c.Names, name); i >= 0 {
				return field[i]
			}
			return ""
		}, line)
	}, func(BadRow) {})
}

func some(n int) []record {
	var list []record
	for i := range n {
		r := record{
			Pod: fmt.Sprintf("pod-%d ", i%7), CPU: float64(i) + 0.25, Share: 0.1, Memory: int64(i) << 40, Small: int32(-i), Killed: i%2 == 1,
			At: time.Date(1969, 12, 31, 23, 59, 59, 500_000_000, time.UTC).Add(time.Duration(i) * time.Second), Other: "x",
		}
		if i%3 == 0 {
			r.Labels = []string{"a", "b"}
			said := "well"
			r.Comment = &said
		}
		list = append(list, r)
	}
	return list
}

// Every kind of column is written as people write it, whatever groups and pages its rows
// lie in; what is not there is empty.
func TestParquetColumns(t *testing.T) {
	list := some(1_000)
	for name, data := range map[string][]byte{
		"one group":   written(t, list),
		"many groups": written(t, list, parquet.MaxRowsPerRowGroup(64), parquet.PageBufferSize(256)),
	} {
		n := 0
		err := read(bytes.NewReader(data), columns, func(get func(string) string, line int) error {
			r := list[n]
			n++
			labels, comment := "", ""
			if r.Comment != nil {
				labels, comment = "a b", "well"
			}
			for field, want := range map[string]string{
				"pod": strings.TrimSpace(r.Pod), "cpu": fmt.Sprint(r.CPU), "share": "0.1", "memory": fmt.Sprint(r.Memory), "small": fmt.Sprint(r.Small),
				"killed": fmt.Sprint(r.Killed), "at": r.At.Format(time.RFC3339Nano), "labels": labels, "comment": comment, "other": "",
			} {
				if got := get(field); got != want {
					return fmt.Errorf("%s is %q, want %q", field, got, want)
				}
			}
			if line != n {
				return fmt.Errorf("row %d is called %d", n, line)
			}
			return nil
		})
		if err != nil || n != len(list) {
			t.Errorf("%s: %d rows, %v", name, n, err)
		}
	}
}

// Values are read however they are written.
func TestParquetEncodings(t *testing.T) {
	type row struct {
		Pod    string   `parquet:"pod,delta"`
		At     int64    `parquet:"at,delta"`
		CPU    float64  `parquet:"cpu,split"`
		Memory int64    `parquet:"memory,optional,delta"`
		Labels []string `parquet:"labels,list,dict"`
		Small  int32    `parquet:"small,optional,dict"`
	}
	var list []row
	for i := range 5_000 {
		r := row{Pod: fmt.Sprintf("pod-%d", i/9), At: int64(i) * 15, CPU: float64(i) / 8}
		if i%5 > 0 {
			r.Memory = int64(i) << 20
		}
		if i > 4_000 {
			r.Small = int32(i % 11)
		}
		for j := range i % 4 {
			r.Labels = append(r.Labels, fmt.Sprintf("l%d", j))
		}
		list = append(list, r)
	}
	text := func(n int64) string { // 0 is written as none
		if n == 0 {
			return ""
		}
		return fmt.Sprint(n)
	}
	for _, version := range []int{1, 2} {
		for _, codec := range []compress.Codec{&parquet.Uncompressed, &parquet.Zstd} {
			var b bytes.Buffer
			w := parquet.NewGenericWriter[row](&b, parquet.DataPageVersion(version), parquet.Compression(codec), parquet.PageBufferSize(4_000))
			if _, err := w.Write(list); err != nil {
				t.Fatal(err)
			}
			if err := w.Close(); err != nil {
				t.Fatal(err)
			}
			n := 0
			err := read(&b, columns, func(get func(string) string, _ int) error {
				r := list[n]
				n++
				for field, want := range map[string]string{
					"pod": r.Pod, "at": fmt.Sprint(r.At), "cpu": fmt.Sprint(r.CPU), "memory": text(r.Memory),
					"small": text(int64(r.Small)), "labels": strings.Join(r.Labels, " "),
				} {
					if get(field) != want {
						return fmt.Errorf("row %d: %s is %q, want %q", n, field, get(field), want)
					}
				}
				return nil
			})
			if err != nil || n != len(list) {
				t.Errorf("version %d, %s: %d rows, %v", version, codec, n, err)
			}
		}
	}
}

// Lengths add up to what the library reads.
func TestLengthsAddUp(t *testing.T) {
	random := rand.New(rand.NewPCG(8, 9))
	for n := range 400 {
		list, want := make([]int32, n), int64(0)
		for i := range list {
			list[i] = random.Int32N(1 << (1 + random.IntN(20)))
			want += int64(list[i])
		}
		b, err := parquet.DeltaBinaryPacked.EncodeInt32(nil, list)
		if err != nil {
			t.Fatal(err)
		}
		if got, rest := (page{values: int64(n)}).sum(append(b, 1, 2, 3)); got != want || !bytes.Equal(rest, []byte{1, 2, 3}) {
			t.Fatalf("%d lengths: %d, want %d; %d bytes are left", n, got, want, len(rest))
		}
	}
}

// What a file lacks, or has too much of, is said.
func TestParquetThatIsWrong(t *testing.T) {
	whole := written(t, some(3))
	type bare struct {
		Pod string `parquet:"pod"`
	}
	type nested struct {
		Pod string `parquet:"pod"`
		At  struct {
			Sec int64 `parquet:"sec"`
		} `parquet:"at"`
	}
	type wrong struct {
		Wrong string `parquet:"wrong"`
	}
	as := func(write func(io.Writer) error) []byte {
		var b bytes.Buffer
		if err := write(&b); err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	for want, data := range map[string][]byte{
		`"at" is missing; it must be there`: as(func(w io.Writer) error { return parquet.Write(w, []bare{{"a"}}) }),
		`column "at" is not flat`:           as(func(w io.Writer) error { return parquet.Write(w, []nested{{}}) }),
		`column "pod" is missing; it must be there (as "pod", by the mapping of columns)`: as(func(w io.Writer) error { return parquet.Write(w, []wrong{{"a"}}) }),
		"not a whole Parquet file": whole[:len(whole)-9],
	} {
		if err := read(bytes.NewReader(data), columns, func(func(string) string, int) error { return nil }); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
	stop := errors.New("enough")
	if err := read(bytes.NewReader(whole), columns, func(func(string) string, int) error { return stop }); !errors.Is(err, stop) {
		t.Error(err)
	}
}

// A damaged file is an error or rows, in memory that has to do with its size, however
// it is packed.
func TestDamagedParquet(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 4))
	var before, after runtime.MemStats
	for name, option := range map[string]parquet.WriterOption{
		"plain": parquet.Compression(&parquet.Uncompressed), "Snappy": parquet.Compression(&parquet.Snappy),
		"Gzip":      parquet.Compression(&parquet.Gzip),
		"Zstandard": parquet.Compression(&parquet.Zstd), "Brotli": parquet.Compression(&parquet.Brotli),
		"LZ4":           parquet.Compression(&parquet.Lz4Raw),
		"first version": parquet.DataPageVersion(1),
	} {
		whole := written(t, some(200), parquet.MaxRowsPerRowGroup(64), option)
		read := func(data []byte) (rows int, err error) {
			err = read(bytes.NewReader(data), columns, func(func(string) string, int) error {
				if rows++; rows > 1_000_000 {
					return errors.New("rows without an end")
				}
				return nil
			})
			return rows, err
		}
		if rows, err := read(whole); rows != 200 || err != nil {
			t.Errorf("%s: %d rows, %v", name, rows, err)
		}
		refused := 0
		for i := range 150 {
			data := bytes.Clone(whole)
			for range 1 + i%3 {
				data[random.IntN(len(data))] = byte(random.IntN(256))
			}
			runtime.ReadMemStats(&before)
			rows, err := read(data)
			runtime.ReadMemStats(&after)
			if took := after.TotalAlloc - before.TotalAlloc; took > 300<<20 || rows > 1_000_000 {
				t.Errorf("%s, damage %d: %d rows, %d MiB for a file of %d bytes (%v)", name, i, rows, took>>20, len(data), err)
			}
			if err != nil {
				refused++
			}
		}
		if refused < 15 {
			t.Errorf("%s: only %d of 150 damaged files were refused", name, refused)
		}
	}
}

// What a file says of itself is not believed: a list longer than the file, words longer
// than the file, structures in structures without an end, a footer from before its
// beginning, a page that unpacks to more than it says.
func TestParquetThatLies(t *testing.T) {
	footer := func(b ...byte) []byte {
		out := append([]byte(ParquetMagic), b...)
		return append(binary.LittleEndian.AppendUint32(out, uint32(len(b))), ParquetMagic...)
	}
	for name, data := range map[string][]byte{
		"a long list":    footer(0x19, 0xfc, 0xff, 0xff, 0xff, 0xff, 0x07, 0),
		"long words":     footer(0x18, 0xff, 0xff, 0xff, 0xff, 0x07, 0),
		"no end of maps": footer(append([]byte{0x1b, 0xff, 0xff, 0x03, 0xbb}, make([]byte, 100)...)...),
		"nested":         footer(bytes.Repeat([]byte{0x1c}, 10_000)...),
		"no kind":        footer(0x1d, 0),
		"before":         append([]byte("PAR1\x00\x00\x00\x00\xff\xff\xff\xff"), ParquetMagic...),
	} {
		if err := read(bytes.NewReader(data), columns, func(func(string) string, int) error { return nil }); !errors.Is(err, errDamaged) {
			t.Errorf("%s: %v", name, err)
		}
	}
	many := footer(append([]byte{0x19, 0xf3, 0x80, 0x89, 0x7a}, make([]byte, 2_000_001)...)...)
	if err := read(bytes.NewReader(many), columns, func(func(string) string, int) error { return nil }); err == nil ||
		!strings.Contains(err.Error(), "larger row groups") {
		t.Error(err)
	}

	zeros := make([]byte, 32<<20)
	for name, x := range map[string]struct {
		of    compress.Codec
		codec format.CompressionCodec
	}{
		"Snappy": {&parquet.Snappy, format.Snappy}, "Gzip": {&parquet.Gzip, format.Gzip}, "Zstandard": {&parquet.Zstd, format.Zstd},
		"Brotli": {&parquet.Brotli, format.Brotli}, "LZ4": {&parquet.Lz4Raw, format.Lz4Raw},
	} {
		packed, err := x.of.Encode(nil, zeros)
		if err != nil {
			t.Fatal(err)
		}
		if got, err := (page{size: int64(len(zeros))}).unpacked(packed, x.codec); err != nil || !bytes.Equal(got, zeros) {
			t.Errorf("%s: %d bytes, %v", name, len(got), err)
		}
		if _, err := (page{size: 1 << 20}).unpacked(packed, x.codec); !errors.Is(err, errDamaged) {
			t.Errorf("%s: 32 MiB in a page of 1: %v", name, err)
		}
	}
	if _, err := (page{size: 10}).unpacked([]byte("x"), format.Lz4); err == nil || !strings.Contains(err.Error(), "Zstandard") {
		t.Error(err)
	}
	// A few bytes for many values.
	million := binary.AppendUvarint(nil, 2_000_000) // a run of a million
	million = append(million, 1)
	flat, optional, repeated := parquet.LeafColumn{}, parquet.LeafColumn{MaxDefinitionLevel: 1}, parquet.LeafColumn{
		MaxDefinitionLevel: 3,
		MaxRepetitionLevel: 1,
	}
	levelled := func(b []byte) []byte { return append(binary.LittleEndian.AppendUint32(nil, uint32(len(b))), b...) }
	deltas := binary.AppendUvarint(binary.AppendUvarint(binary.AppendUvarint(nil, 128), 4), 1<<31)
	for name, x := range map[string]struct {
		p    page
		b    []byte
		leaf parquet.LeafColumn
	}{
		"a run of an index": {page{encoding: int64(format.RLEDictionary)}, append([]byte{1}, million...), flat},
		"runs of an index": {
			page{encoding: int64(format.RLEDictionary)},
			append([]byte{1}, bytes.Repeat([]byte{0x80, 4, 0}, 9_000)...), flat,
		},
		"an index of 33 bits":               {page{encoding: int64(format.RLEDictionary)}, []byte{33, 2, 0}, flat},
		"truths":                            {page{encoding: int64(format.RLE)}, levelled(million), flat},
		"nulls, first version":              {page{nulled: int64(format.RLE)}, levelled(million), optional},
		"repeats, first version":            {page{nulled: int64(format.RLE), repeated: int64(format.RLE)}, levelled(million), repeated},
		"levels cut short":                  {page{nulled: int64(format.RLE)}, []byte{9, 0, 0, 0, 1}, optional},
		"no levels":                         {page{nulled: int64(format.RLE)}, []byte{9, 0}, optional},
		"nulls, second version":             {page{kind: int64(format.DataPageV2), nulls: int64(len(million))}, million, optional},
		"repeats, second version":           {page{kind: int64(format.DataPageV2), repeats: int64(len(million))}, million, repeated},
		"levels beyond the page":            {page{kind: int64(format.DataPageV2), nulls: 100}, million, optional},
		"levels from before the page":       {page{kind: int64(format.DataPageV2), repeats: -4}, million, repeated},
		"differences":                       {page{encoding: int64(format.DeltaBinaryPacked)}, deltas, flat},
		"lengths":                           {page{encoding: int64(format.DeltaLengthByteArray)}, deltas, flat},
		"words that share their beginnings": {page{encoding: int64(format.DeltaByteArray)}, deltas, flat},
		"differences in part of a block":    {page{encoding: int64(format.DeltaBinaryPacked)}, []byte{128, 1}, flat},
	} {
		x.p.values, x.p.size = 1_000, 1_000
		if err := x.p.check(x.b, format.Uncompressed, x.leaf); !errors.Is(err, errDamaged) {
			t.Errorf("%s: %v", name, err)
		}
	}
	for want, p := range map[string]page{
		"plainly or with a dictionary": {encoding: int64(format.BitPacked)},
		"write them as RLE":            {nulled: int64(format.BitPacked)},
	} {
		if err := p.check(nil, format.Uncompressed, optional); err == nil || !strings.Contains(err.Error(), want) {
			if err = p.check(nil, format.Uncompressed, flat); err == nil || !strings.Contains(err.Error(), want) {
				t.Errorf("%s: %v", want, err)
			}
		}
	}

	// A thousand words that all begin with the same hundred thousand letters, in blocks
	// without a bit: what is shared, then what is not.
	alike := func(first int64, n uint64) []byte {
		b := binary.AppendVarint(binary.AppendUvarint([]byte{0x80, 1, 4}, n), first)
		for range (n + 126) / 128 {
			b = append(b, 0, 0, 0, 0, 0)
		}
		return b
	}
	words := append(alike(100_000, 1_000), alike(0, 1_000)...)
	if got := (page{values: 1_000}).sharing(words); got != 100_000_000 {
		t.Errorf("words of %d bytes", got)
	}
	words = append(alike(200_000, 1_000), alike(0, 1_000)...)
	if err := (page{values: 1_000, size: 1_000, encoding: int64(format.DeltaByteArray)}).check(words, format.Uncompressed,
		flat); err == nil || !strings.Contains(err.Error(), "smaller pages") {
		t.Error(err)
	}
	if got := (page{values: 1_000}).sharing(words[:40]); got >= 0 {
		t.Errorf("words cut short are %d bytes", got)
	}

	head := binary.AppendVarint([]byte{0x15, 0, 0x15}, mostPage+1)
	head = append(head, 0x15, 0, 0)
	if err := checkColumn(head, &format.ColumnMetaData{TotalCompressedSize: int64(len(head)), NumValues: 1},
		parquet.LeafColumn{}); err == nil || !strings.Contains(err.Error(), "write pages of at most") {
		t.Error(err)
	}
}
