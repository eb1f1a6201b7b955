package table

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/parquet-go/parquet-go"
)

// rowsOf are the rows of a file with their lines, and errors in their places.
func rowsOf(src io.Reader) []string {
	in := NewRows(bufio.NewReaderSize(src, 64), ',')
	var out []string
	for {
		row, line, err := in.Read()
		if errors.Is(err, io.EOF) {
			return out
		}
		out = append(out, fmt.Sprintf("%d %q %t", line, row, err != nil))
		var bad *csv.ParseError
		if err != nil && !errors.As(err, &bad) {
			return out
		}
	}
}

// byTheLibrary are the same by encoding/csv alone.
func byTheLibrary(src io.Reader) []string {
	in := csv.NewReader(src)
	in.FieldsPerRecord = -1
	var out []string
	for {
		row, err := in.Read()
		if errors.Is(err, io.EOF) {
			return out
		}
		line := 0
		var bad *csv.ParseError
		if errors.As(err, &bad) {
			row, line = nil, bad.StartLine
		} else if err == nil {
			line, _ = in.FieldPos(0)
		}
		out = append(out, fmt.Sprintf("%d %q %t", line, row, err != nil))
		if err != nil && bad == nil {
			return out
		}
	}
}

// Rows are those that encoding/csv reads, with their lines and errors, whatever is in a
// file and however it comes in.
func TestRowsAreTheLibrarys(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 3))
	letters := []string{
		"a", "b", ",", ",", "\n", "\n", "\r\n", "\r", "\"", " ", "ü", "\x00", strings.Repeat("x", 70), "\"q\"",
		"\"a,\nb\"", "\"\"",
	}
	for n := range 20_000 {
		var b strings.Builder
		for range random.IntN(24) {
			l := letters[random.IntN(len(letters))]
			if n%2 == 0 && strings.Contains(l, "\"") && random.IntN(4) > 0 {
				continue // most files have few quotes
			}
			b.WriteString(l)
		}
		text := b.String()
		want := byTheLibrary(strings.NewReader(text))
		for name, src := range map[string]io.Reader{
			"whole":        strings.NewReader(text),
			"byte by byte": iotest.OneByteReader(strings.NewReader(text)), "with its end": iotest.DataErrReader(strings.NewReader(text)),
		} {
			if got := rowsOf(src); fmt.Sprint(got) != fmt.Sprint(want) {
				t.Fatalf("%q, %s\n%q, want\n%q", text, name, got, want)
			}
		}
	}
}

// A source that breaks off is an error, before and after the first quote.
func TestRowsOfASourceThatBreaksOff(t *testing.T) {
	broken := errors.New("the line went dead")
	for _, text := range []string{"", "a,b\n1,2\n", "a,b\n1,", "a,b\n\"1\",2\n", "a,\"b"} {
		in := NewRows(bufio.NewReader(io.MultiReader(strings.NewReader(text), iotest.ErrReader(broken))), ',')
		var err error
		for n := 0; err == nil; n++ {
			if _, _, err = in.Read(); n > 5 {
				t.Fatalf("%q has no end", text)
			}
		}
		if !errors.Is(err, broken) {
			t.Errorf("%q: %v", text, err)
		}
	}
	rows := 0
	err := Read(io.MultiReader(strings.NewReader("pod,at\na,0\na,15\na,3"), iotest.ErrReader(broken)), Columns{Names: []string{"pod", "at"}},
		func(Row, int) error { rows++; return nil }, func(b BadRow) { t.Error(b) })
	if !errors.Is(err, broken) || rows != 2 {
		t.Errorf("%d rows, %v", rows, err)
	}
}

// The same rows come of CSV, JSON Lines and Parquet; what is wrong with a file or a row is
// said alike.
func TestOneTableInThreeForms(t *testing.T) {
	type pod struct {
		Name string   `parquet:"name"`
		At   float64  `parquet:"at"`
		Want []string `parquet:"want,list"`
	}
	var file bytes.Buffer
	if err := parquet.Write(&file, []pod{{"a", 5, []string{"x", "y"}}, {"b", 6.5, nil}}); err != nil {
		t.Fatal(err)
	}
	c := Columns{
		Names: []string{"pod", "at", "want"}, Must: []string{"pod", "at"}, Lists: []string{"want"},
		Theirs: map[string]string{"pod": "name"},
	}
	for _, text := range []string{
		"\ufeffname, at,want,more\r\na, 5 ,x y,z\r\n\r\nb,6.5,,\r\n",
		"\n {\"name\": \"a\", \"at\": 5, \"want\": [\"x\", \"y\"], \"more\": {}}\n{\"at\": 6.5, \"name\": \" b \", \"want\": null}",
		file.String(),
	} {
		var got []string
		err := Read(strings.NewReader(text), c, func(row Row, _ int) error {
			got = append(got, row[0]+"|"+row[1]+"|"+row[2])
			return nil
		}, func(b BadRow) { t.Error(b) })
		if err != nil || strings.Join(got, " ") != "a|5|x y b|6.5|" {
			t.Errorf("%.20q: %q, %v", text, got, err)
		}
	}
	plain := Columns{Names: c.Names, Must: c.Must, Lists: c.Lists}
	for text, want := range map[string]string{
		"":                                "no header",
		"pod\n":                           `column "at" is missing`,
		"pod,att\n":                       `unknown column "att"; the columns are pod, at, want; did you mean "at"?`,
		"pod,at,pod\n":                    `column "pod" is there twice`,
		"pod,at\na,1,2\na,1\n":            "line 2: 3 fields where the header has 2",
		"pod,at\na,\"1\na,1\n":            "line 2: extraneous",
		"{\"pod\": \"a\", \"at\": [1]}\n": `line 1, column at: expected a single value, or for want a list of words`,
		"{\"pod\": \"a\"} {}":             "more than one value on the line",
		"{\"pod\": {}}":                   "column pod: found \"map[]\": expected text or a number",
		"{\"pot\": 1}":                    `did you mean "pod"?`,
		"{\"pod\": \"" + strings.Repeat("x", maxLine) + "\"}": "a line is longer than",
	} {
		var bads Refused
		err := Read(strings.NewReader(text), plain, func(Row, int) error { return nil }, bads.Refuse)
		said := fmt.Sprint(err)
		for _, b := range bads.Bad {
			said += "\n" + b.String()
		}
		if !strings.Contains(said, want) {
			t.Errorf("%.30q: %s, want %s", text, said, want)
		}
	}
	if err := Read(strings.NewReader("x"), Columns{Theirs: map[string]string{"a": "n", "b": "n"}}, nil, nil); err == nil ||
		!strings.Contains(err.Error(), "map it once") {
		t.Error(err)
	}
}
