package learn

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"tachyphor/core/table"
)

// A grid is a table of text as it stands in a file: named columns, and rows that may be gone
// through again and again.
type grid struct {
	names  []string
	headed bool // the file names them
	form   Guess
	text   []Guess // how its bytes were read
	// each goes through the rows: cells are only good until the next. Rows that cannot be
	// read at all are told to bad.
	each    func(take func(cells []string, line int) error, bad func(line, lines int, why string)) error
	current string // file that is gone through, of several
	rows    int    // how many rows there are about; 0: to be counted
	// preamble is how many lines stood before the header.
	preamble int
}

// mostColumns bounds the columns of a log: each is looked at in many ways.
const mostColumns = 500

// readAll reads files as one table: they have the same columns, in any order.
func readAll(files []File, o *JobOptions) (*grid, error) {
	var all []*grid
	for _, f := range files {
		g, err := readGrid(f.Data, o)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.Name, err)
		}
		all = append(all, g)
	}
	if len(all) == 0 {
		return nil, errors.New("name a file with a job log")
	}
	first := *all[0]
	if len(first.names) > mostColumns {
		return nil, fmt.Errorf("%s has %d columns; a job log has %d at most", files[0].Name, len(first.names), mostColumns)
	}
	places := make([][]int, len(all)) // by file: the first file's columns
	for i, g := range all {
		if len(g.names) != len(first.names) {
			return nil, fmt.Errorf("%s has %d columns, %s has %d: learn them one by one", files[i].Name, len(g.names),
				files[0].Name, len(first.names))
		}
		for at, name := range g.names {
			as := slices.Index(first.names, name)
			if as < 0 {
				return nil, fmt.Errorf("%s has a column %q that %s does not have: learn them one by one", files[i].Name, name, files[0].Name)
			}
			if slices.Index(g.names, name) != at { // the same name again
				as = at
			}
			places[i] = append(places[i], as)
		}
	}
	if len(all) == 1 {
		return &first, nil
	}
	out := &first
	each := first.each
	out.rows = 0
	out.each = func(take func([]string, int) error, bad func(int, int, string)) error {
		cells := make([]string, len(out.names))
		for i, g := range all {
			if out.current = files[i].Name; i == 0 {
				g = &grid{each: each}
			}
			err := g.each(func(row []string, line int) error {
				if len(row) != len(places[i]) {
					return take(row, line)
				}
				for at, c := range row {
					cells[places[i][at]] = c
				}
				return take(cells, line)
			}, bad)
			if err != nil {
				return err
			}
		}
		return nil
	}
	return out, nil
}

// readGrid reads a file as a table, whatever its format.
func readGrid(data []byte, o *JobOptions) (*grid, error) {
	most := o.Most
	if most == 0 {
		most = MostBytes
	}
	if int64(len(data)) > most {
		return nil, fmt.Errorf("it is larger than %d MiB; give a shorter part of the log", most>>20)
	}
	data, packed, err := unpacked(data, most)
	if err != nil {
		return nil, err
	}
	g := &grid{}
	if len(packed) > 0 {
		g.text = append(g.text, Guess{What: "packing", Is: strings.Join(packed, ", then "), Why: "its first bytes"})
	}
	if len(data) == 0 {
		return nil, errors.New("it is empty; a job log has a row for each job")
	}
	for magic, what := range map[string]string{
		"PK\x03\x04": "a spreadsheet or another zip", "SQLite format 3\x00": "a SQLite database", "\xd0\xcf\x11\xe0": "an old spreadsheet",
	} {
		if bytes.HasPrefix(data, []byte(magic)) {
			return nil, fmt.Errorf("it is %s; save its table as CSV", what)
		}
	}
	if table.IsParquet(data) {
		return g, g.parquet(data)
	}
	text, guess, err := decoded(data, o.Encoding)
	if err != nil {
		return nil, err
	}
	g.text = append(g.text, guess)
	if len(bytes.TrimSpace(text)) == 0 {
		return nil, errors.New("it holds only white space; a job log has a row for each job")
	}
	if t := bytes.TrimLeft(text, " \t\r\n"); t[0] == '{' || t[0] == '[' {
		return g, g.json(t)
	}
	return g, g.delimited(text, o)
}

// parquet makes a grid of a Parquet file.
func (g *grid) parquet(data []byte) error {
	names, err := table.ParquetNames(data)
	if err != nil {
		return err
	}
	g.names, g.headed = names, true
	g.form = Guess{What: "format", Is: "Parquet", Why: "its first bytes"}
	g.each = func(take func([]string, int) error, bad func(int, int, string)) error {
		return table.Read(bytes.NewReader(data), table.Columns{Names: names, Lists: names}, func(row table.Row, line int) error {
			return take(row, line)
		}, func(b table.BadRow) { bad(b.Line, 1, b.Reason) })
	}
	return nil
}

// delimiters are what fields are parted by, the likeliest first.
var delimiters = []byte{',', ';', '\t', '|'}

var delimiterNames = map[byte]string{',': "commas", ';': "semicolons", '\t': "tabs", '|': "bars"}

// headLines is how many rows are looked at to tell what a file is.
const headLines = 100

// head reads the first rows with a delimiter, with the lines that they begin in.
func head(text []byte, comma byte) (rows [][]string, lines []int) {
	src := table.NewRows(bufio.NewReader(bytes.NewReader(text)), comma)
	for len(rows) < headLines {
		row, line, err := src.Read()
		var bad *csv.ParseError
		if errors.As(err, &bad) {
			continue
		}
		if err != nil {
			break
		}
		rows, lines = append(rows, append([]string(nil), row...)), append(lines, line)
	}
	return rows, lines
}

// usualWidth is the commonest number of fields of rows, and how many rows have it.
func usualWidth(rows [][]string) (width, n int) {
	count := map[int]int{}
	for _, r := range rows {
		count[len(r)]++
	}
	for w, c := range count {
		if c > n || c == n && w > width {
			width, n = w, c
		}
	}
	return width, n
}

// delimited makes a grid of text whose fields are parted by some character.
func (g *grid) delimited(text []byte, o *JobOptions) error {
	if i := bytes.IndexByte(text, '\r'); i >= 0 && bytes.IndexByte(text, '\n') < 0 {
		text = bytes.ReplaceAll(text, []byte("\r"), []byte("\n")) // lines as they once ended elsewhere
	}
	comma, why, err := parting(text, o.Delimiter)
	if err != nil {
		return err
	}
	g.form = Guess{What: "format", Is: "fields separated by " + said(comma), Why: why, Flag: "--delimiter"}
	rows, lines := head(text, comma)
	if len(rows) == 0 {
		return errors.New("no row of it can be read: a quote that opens is never closed")
	}
	width, _ := usualWidth(rows)
	first := 0
	for first < len(rows) && len(rows[first]) != width {
		first++
	}
	if first == len(rows) {
		first = 0
	}
	g.preamble = first
	hash := strings.TrimLeft(rows[first][0], "# ")
	if g.headed, err = headed(rows[first:], o.Header); err != nil {
		return err
	}
	if g.headed {
		for i, name := range rows[first] {
			if name = strings.TrimSpace(name); i == 0 {
				name = strings.TrimSpace(hash)
			}
			g.names = append(g.names, name)
		}
		first++
	} else {
		for i := range rows[first] {
			g.names = append(g.names, fmt.Sprintf("column %d", i+1))
		}
	}
	begin := 0
	if first < len(lines) {
		begin = lines[first]
	} else {
		begin = lines[len(lines)-1] + 1
	}
	g.rows = bytes.Count(text, []byte("\n")) + 1
	g.each = func(take func([]string, int) error, bad func(int, int, string)) error {
		src := table.NewRows(bufio.NewReaderSize(bytes.NewReader(text), 1<<20), comma)
		for {
			row, line, err := src.Read()
			var broken *csv.ParseError
			switch {
			case errors.Is(err, io.EOF):
				return nil
			case errors.As(err, &broken):
				bad(line, max(1, broken.Line-broken.StartLine+1), broken.Err.Error())
				continue
			case err != nil:
				return err
			case line < begin:
				continue
			}
			for i := range row {
				row[i] = strings.TrimSpace(row[i])
			}
			if err := take(row, line); err != nil {
				return err
			}
		}
	}
	return nil
}

func said(comma byte) string {
	if s, ok := delimiterNames[comma]; ok {
		return s
	}
	return string(rune(comma))
}

// parting tells what fields are parted by.
func parting(text []byte, told string) (comma byte, why string, err error) {
	switch {
	case strings.EqualFold(told, "tab") || told == `\t`:
		return '\t', "told", nil
	case len(told) == 1 && told[0] < 0x80 && told != "\"" && told != "\n":
		return told[0], "told", nil
	case told != "":
		return 0, "", fmt.Errorf("%q is not a delimiter; give one character, or tab", told)
	}
	best, most := byte(','), 0.0
	for _, c := range delimiters {
		rows, _ := head(text, c)
		width, n := usualWidth(rows)
		if width < 2 {
			continue
		}
		// Rows that are as wide as most count; width breaks ties, as a comma within texts or
		// numbers parts fewer places.
		score := float64(n)/float64(len(rows)) + float64(min(width, 40))/1000
		if score > most {
			best, most = c, score
		}
	}
	if most == 0 {
		return ',', "every line is one field", nil
	}
	return best, "most lines have as many fields then", nil
}

// headed tells whether the first row names the columns.
func headed(rows [][]string, told string) (bool, error) {
	switch told {
	case "yes":
		return true, nil
	case "no":
		return false, nil
	case "":
	default:
		return false, fmt.Errorf("header is yes or no, not %q", told)
	}
	known, seen := 0, map[string]bool{}
	for _, c := range rows[0] {
		c = strings.TrimSpace(c)
		if c == "" {
			continue
		}
		if valued(c) || seen[c] {
			return false, nil
		}
		seen[c] = true
		if roleNamed(c) {
			known++
		}
	}
	if known > 0 {
		return true, nil
	}
	// None of the names is known: it is a header when columns below it hold what the first
	// row does not.
	for i := range rows[0] {
		values := 0
		for _, r := range rows[1:] {
			if i < len(r) && valued(strings.TrimSpace(r[i])) {
				values++
			}
		}
		if values > 0 && 2*values > len(rows)-1 {
			return true, nil
		}
	}
	return false, nil
}

// valued reports whether a cell holds a number, a time, or a size, which no header does.
func valued(c string) bool {
	if c == "" {
		return false
	}
	if _, ok := decimalPoint.number(c); ok {
		return true
	}
	if _, ok := lengthOf(c); ok {
		return true
	}
	if _, ok := sizeOf(c); ok {
		return true
	}
	forms, _ := formsOf([]string{c}, time.UTC)
	return len(forms) > 0
}
