package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
	"sigs.k8s.io/yaml"
)

// terminal is what is known of where output goes.
type terminal struct {
	colour bool
	width  int // columns
	isOne  bool
}

// Widths when the output is no terminal, and the narrowest that is laid out for.
const (
	plainWidth = 110
	leastWidth = 60
	// leastColumn is the narrowest that a column of words becomes.
	leastColumn = 20
)

func terminalOf(w io.Writer) terminal {
	f, ok := w.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		t := terminal{width: plainWidth}
		if n, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && n > 0 { // as a person asked
			t.width = max(n, leastWidth)
		}
		return t
	}
	t := terminal{colour: os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb", width: plainWidth, isOne: true}
	if n, _, err := term.GetSize(int(f.Fd())); err == nil && n > 0 {
		t.width = max(n, leastWidth)
	}
	return t
}

// formats are what -o takes.
var formats = []string{"table", "json", "yaml", "csv"}

func checkFormat(f string) error {
	if !slices.Contains(formats, f) {
		return fmt.Errorf("-o %q: expected one of %s", f, strings.Join(formats, ", "))
	}
	return nil
}

// column is one column of a listing.
type column struct {
	title string
	right bool // numbers
}

// listing is a table that can leave in every format.
type listing struct {
	columns []column
	rows    [][]string
	value   any    // what JSON and YAML hold, and CSV in tables
	keys    int    // columns that say which row it is, and stand in every part; 0: the first
	main    string // of those tables the first to be asked for; empty: the first
}

// show writes a listing in the format that was asked for.
func (p *program) show(l listing) error {
	switch p.format {
	case "json", "yaml":
		return p.value(l.value)
	case "csv":
		return p.sheets(l.value, l.main)
	default:
		_, err := fmt.Fprintln(p.out, p.table(l))
		return err
	}
}

// value writes something as JSON or YAML.
func (p *program) value(v any) error {
	if p.format == "yaml" {
		b, err := yaml.Marshal(v)
		if err == nil {
			_, err = p.raw.Write(b)
		}
		return err
	}
	enc := json.NewEncoder(p.raw)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

// table lays a listing out for the terminal: no lines, numbers to the right. Columns
// that have no room go on below, beside the first one once more.
func (p *program) table(l listing) string {
	var parts []string
	for _, part := range l.parts(p.term.width) {
		parts = append(parts, p.layOut(part))
	}
	return strings.Join(parts, "\n\n")
}

// columnGap parts columns.
const columnGap = 2

// parts splits a listing by its columns, so that each part has room; all have the first
// column.
func (l listing) parts(room int) []listing {
	var keys []int
	taken := 0
	for i := range max(1, l.keys) {
		keys = append(keys, i)
		taken += l.width(i) + columnGap
	}
	groups := [][]int{slices.Clone(keys)}
	left := room - taken
	for i := len(keys); i < len(l.columns); i++ {
		w := l.width(i)
		if i == len(l.columns)-1 && !l.columns[i].right {
			w = min(w, leastColumn) // words can be wrapped
		}
		if n := len(groups) - 1; w+columnGap > left && len(groups[n]) > len(keys) {
			groups = append(groups, slices.Clone(keys))
			left = room - taken
		}
		n := len(groups) - 1
		groups[n] = append(groups[n], i)
		left -= w + columnGap
	}
	var out []listing
	for _, g := range groups {
		part := listing{}
		for _, i := range g {
			part.columns = append(part.columns, l.columns[i])
		}
		for _, r := range l.rows {
			var row []string
			for _, i := range g {
				row = append(row, r[i])
			}
			part.rows = append(part.rows, row)
		}
		out = append(out, part)
	}
	return out
}

// layOut writes a listing as one table.
func (p *program) layOut(l listing) string {
	t := table.NewWriter()
	style := table.StyleDefault
	style.Options = table.OptionsNoBordersAndSeparators
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	head := table.Row{}
	configs := make([]table.ColumnConfig, len(l.columns))
	for i, c := range l.columns {
		title := c.title
		if p.term.colour {
			title = text.Faint.Sprint(title)
		}
		head = append(head, title)
		configs[i] = table.ColumnConfig{Number: i + 1}
		if c.right {
			configs[i].Align, configs[i].AlignHeader = text.AlignRight, text.AlignRight
		}
	}
	t.AppendHeader(head)
	if last := len(l.columns) - 1; !l.columns[last].right { // what is too long for the terminal goes on below
		room := p.term.width - columnGap*(last+1)
		for i := range l.columns[:last] {
			room -= l.width(i)
		}
		configs[last].WidthMax, configs[last].WidthMaxEnforcer = max(leastColumn, room), text.WrapSoft
	}
	t.SetColumnConfigs(configs)
	t.Style().Size.WidthMax = p.term.width
	for _, r := range l.rows {
		row := table.Row{}
		for _, c := range r {
			row = append(row, c)
		}
		t.AppendRow(row)
	}
	lines := strings.Split(t.Render(), "\n")
	for i := range lines {
		lines[i] = strings.TrimRight(lines[i], " ")
	}
	return strings.Join(lines, "\n")
}

// width is how wide a column's text is.
func (l listing) width(column int) int {
	w := text.StringWidthWithoutEscSequences(l.columns[column].title)
	for _, r := range l.rows {
		w = max(w, text.StringWidthWithoutEscSequences(r[column]))
	}
	return w
}

// strong makes words stand out where the terminal can.
func (p *program) strong(s string) string {
	if p.term.colour {
		return text.Bold.Sprint(s)
	}
	return s
}

// warn marks words that need a decision, in an amber that light and dark grounds
// both carry.
func (p *program) warn(s string) string {
	if p.term.colour {
		return "\x1b[1;38;2;176;112;16m" + s + "\x1b[0m"
	}
	return s
}

// bad marks what is lost or will not work.
func (p *program) bad(s string) string {
	if p.term.colour {
		return "\x1b[1;38;2;176;48;48m" + s + "\x1b[0m"
	}
	return s
}

// faint takes words back.
func (p *program) faint(s string) string {
	if p.term.colour {
		return text.Faint.Sprint(s)
	}
	return s
}

// withUnit matches the blank between a number and its unit.
var withUnit = regexp.MustCompile(`([0-9]) (%|×|[KMGT]iB\b|CPU\b|s\b|min\b)`)

// withLess matches the blank between a duration's parts.
var withLess = regexp.MustCompile(`\b(min|h) ([0-9]{2}\b)`)

// bound stands for a blank at which no line is broken.
const bound = "\ue000"

// wrap breaks a paragraph at the terminal's width, but not between a number and its
// unit.
func (p *program) wrap(s string) string {
	kept := withUnit.ReplaceAllString(s, "$1"+bound+"$2")
	kept = withLess.ReplaceAllString(kept, "$1"+bound+"$2")
	lines := strings.Split(strings.ReplaceAll(text.WrapSoft(kept, min(p.term.width, 100)), bound, " "), "\n")
	for i := range lines {
		lines[i] = strings.TrimRight(lines[i], " ")
	}
	return strings.Join(lines, "\n")
}
