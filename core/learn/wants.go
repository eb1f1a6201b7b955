package learn

import (
	"slices"
	"strings"
	"unicode"
)

// wantWords puts the words of a cell into one list, in order, parted by blanks.
func wantWords(cell string) (string, bool) {
	list := splitList(cell)
	for i, w := range list {
		if len(w) > 63 || strings.ContainsFunc(w, unicode.IsControl) {
			return "", false
		}
		list[i] = w
	}
	slices.Sort(list)
	return strings.Join(slices.Compact(list), " "), len(list) <= 50
}

// splitList parts a cell that holds several words: a JSON list, or parted by commas,
// blanks, bars, semicolons, plus signs or double ampersands, in brackets or not.
func splitList(cell string) []string {
	return strings.FieldsFunc(cell, func(r rune) bool {
		switch r {
		case ',', ' ', ';', '|', '[', ']', '(', ')', '{', '}', '"', '\'', '&', '+', '\t', '\n':
			return true
		}
		return false
	})
}
