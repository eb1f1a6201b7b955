package table

import (
	"strconv"
	"strings"
)

// Cell is a text as it goes into CSV: one that a spreadsheet would take for a formula, and
// that is no number, gets an apostrophe before it, by which it is text to them.
func Cell(s string) string {
	if s == "" || !strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return s
	}
	if _, err := strconv.ParseFloat(s, 64); err == nil {
		return s
	}
	return "'" + s
}
