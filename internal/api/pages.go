package api

import (
	"cmp"
	"slices"
	"strconv"

	"github.com/danielgtaylor/huma/v2"
)

// pageSize is how many entries a page of a list has at most.
const pageSize = 100

// cursorOf reads where a list that is sorted as a whole goes on.
func cursorOf(text string) (from int, err error) {
	if text == "" {
		return 0, nil
	}
	if from, err = strconv.Atoi(text); err != nil || from < 0 {
		return 0, huma.Error422UnprocessableEntity("cursor: expected what next says on the page before")
	}
	return from, nil
}

// pageOf is a page of such a list, and where the next one begins; empty: it is the last.
func pageOf[T any](list []T, from int) (page []T, next string) {
	until := min(from+pageSize, len(list))
	if until < len(list) {
		next = strconv.Itoa(until)
	}
	return list[min(from, until):until], next
}

// sortBy sorts a list by what is known of its entries, each asked for once, and leaves those alike in their order; those of
// which nothing is known come last, whichever way.
func sortBy[T any](list []T, down bool, number func(T) (float64, bool)) {
	type known struct {
		entry T
		x     float64
		ok    bool
	}
	all := make([]known, len(list))
	for i, e := range list {
		all[i].entry = e
		all[i].x, all[i].ok = number(e)
	}
	slices.SortStableFunc(all, func(a, b known) int {
		switch {
		case a.ok != b.ok:
			if a.ok {
				return -1
			}
			return 1
		case down:
			return cmp.Compare(b.x, a.x)
		}
		return cmp.Compare(a.x, b.x)
	})
	for i := range all {
		list[i] = all[i].entry
	}
}
