package sizing

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
)

// rowsOf are the rows of a file with their lines, and errors in their places.
func rowsOf(src io.Reader) []string {
	in := rows{in: bufio.NewReaderSize(src, 64)}
	var out []string
	for {
		row, line, err := in.read()
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
	letters := []string{"a", "b", ",", ",", "\n", "\n", "\r\n", "\r", "\"", " ", "ü", "\x00", strings.Repeat("x", 70), "\"q\"", "\"a,\nb\"", "\"\""}
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
		for name, src := range map[string]io.Reader{"whole": strings.NewReader(text), "byte by byte": iotest.OneByteReader(strings.NewReader(text)), "with its end": iotest.DataErrReader(strings.NewReader(text))} {
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
		in := rows{in: bufio.NewReader(io.MultiReader(strings.NewReader(text), iotest.ErrReader(broken)))}
		var err error
		for n := 0; err == nil; n++ {
			if _, _, err = in.read(); n > 5 {
				t.Fatalf("%q has no end", text)
			}
		}
		if !errors.Is(err, broken) {
			t.Errorf("%q: %v", text, err)
		}
	}
	log, err := Read(io.MultiReader(bytes.NewReader([]byte("pod,at,cores\na,0,1\na,15,1\na,3")), iotest.ErrReader(broken)))
	if !errors.Is(err, broken) || len(log.Series[0].Samples) != 2 {
		t.Errorf("%v %+v", err, log)
	}
}
