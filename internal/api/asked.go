package api

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/table"

	"github.com/danielgtaylor/huma/v2"
)

// asked turns away query parameters that an operation does not have, which would be passed
// over, those that are given twice, of which all but one would be, and numbers that are none.
func asked(api huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		var names []string
		numbers, several := map[string]bool{}, map[string]bool{}
		for _, p := range ctx.Operation().Parameters {
			if p.In != "query" {
				continue
			}
			names = append(names, p.Name)
			several[p.Name] = p.Explode != nil && *p.Explode
			numbers[p.Name] = p.Schema != nil && p.Schema.Type == huma.TypeNumber
		}
		u := ctx.URL()
		query := u.Query()
		for _, name := range slices.Sorted(maps.Keys(query)) {
			if !slices.Contains(names, name) {
				there := "this address accepts no query parameters"
				if len(names) > 0 {
					there = "there are " + strings.Join(names, ", ")
				}
				if near, ok := table.Nearest(name, names); ok {
					there = fmt.Sprintf("did you mean %q?", near)
				}
				_ = huma.WriteErr(api, ctx, 422, fmt.Sprintf("unknown query parameter %q; %s", name, there))
				return
			}
			if len(query[name]) > 1 && !several[name] {
				_ = huma.WriteErr(api, ctx, 422, fmt.Sprintf("%s is given %d times; give it once, several values separated by commas", name,
					len(query[name])))
				return
			}
			for _, value := range query[name] {
				if f, err := strconv.ParseFloat(value, 64); numbers[name] && err == nil && (math.IsNaN(f) || math.IsInf(f, 0)) {
					_ = huma.WriteErr(api, ctx, 422, fmt.Sprintf("%s: %s is not a usable number", name, value))
					return
				}
			}
		}
		next(ctx)
	}
}
