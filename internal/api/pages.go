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

// sortBy sorts a list by what is known of its entries, and leaves those alike in their order; those of which nothing is
// known come last, whichever way.
func sortBy[T any](list []T, down bool, number func(T) (float64, bool)) {
	slices.SortStableFunc(list, func(a, b T) int {
		x, ok := number(a)
		y, has := number(b)
		switch {
		case ok != has:
			if ok {
				return -1
			}
			return 1
		case down:
			return cmp.Compare(y, x)
		}
		return cmp.Compare(x, y)
	})
}
