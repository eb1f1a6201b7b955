package table

import "strings"

// Nearest returns the candidate with the fewest letters' difference from word,
// if that is at most a third of its length (and at least one letter is right).
func Nearest(word string, candidates []string) (string, bool) {
	if len(word) > 64 {
		return "", false
	}
	best, at := "", max(1, len(word)/3)+1
	for _, c := range candidates {
		if d := Letters(strings.ToLower(word), strings.ToLower(c)); d < at {
			best, at = c, d
		}
	}
	return best, best != ""
}

// Letters counts the letters in which two words differ: to insert, delete, replace or swap
// with a neighbour to make one into the other (optimal string alignment; Damerau 1964).
func Letters(a, b string) int {
	rows := make([][]int, len(a)+1)
	for i := range rows {
		rows[i] = make([]int, len(b)+1)
		rows[i][0] = i
	}
	for j := range rows[0] {
		rows[0][j] = j
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			d := min(rows[i-1][j]+1, rows[i][j-1]+1, rows[i-1][j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				d = min(d, rows[i-2][j-2]+1)
			}
			rows[i][j] = d
		}
	}
	return rows[len(a)][len(b)]
}
