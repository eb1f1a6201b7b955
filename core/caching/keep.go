package caching

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/units"
)

// A Part is a folder of a workspace in two builds.
type Part struct {
	Path    string  `json:"path" doc:"Folder, from the top of the workspace."`
	Files   int     `json:"files" doc:"Files in it and below."`
	Bytes   int64   `json:"bytes" doc:"Bytes in them."`
	Same    int64   `json:"same" doc:"Bytes of files that are as in the build before."`
	Source  int64   `json:"source" doc:"Bytes of files that come with the source, from version control."`
	Ratio   float64 `json:"ratio" doc:"Packed size over size, from a sample of it."`
	Seconds float64 `json:"seconds" doc:"Time over which its files were written, pauses of more than half a minute left out; about what getting it again takes."`
}

// What to do with a part.
const (
	Keep      = "keep"
	LeaveOut  = "leave out"
	FromStart = "comes with the source"
)

// A Verdict says what to do with a part of a workspace, and why.
type Verdict struct {
	Part
	Do      string  `json:"do" enum:"keep,leave out,comes with the source" doc:"What to do with it."`
	Changed float64 `json:"changed" doc:"Share of its bytes that differ from the build before; 0 where none is known."`
	Carry   float64 `json:"carrySeconds" doc:"Time that carrying it takes a build: bringing and unpacking, and packing and sending as often as it is saved."`
	Why     string  `json:"why" doc:"Why, in a few words."`
}

// Limits on what is worth keeping.
const (
	mostChanged = 0.5     // share of bytes that differ: more is as good as new
	leastBytes  = 1 << 20 // less is not worth a thought
)

// Weigh says which parts of a workspace are worth their bytes: time to get them again
// against time to carry them. t has the speeds and the share of builds that save (its
// Change). before says that the parts know a build before.
func Weigh(parts []Part, t Terms, before bool) []Verdict {
	out := []Verdict{}
	for _, p := range parts {
		v := Verdict{Part: p, Do: LeaveOut}
		t.Size = float64(p.Bytes) * p.Ratio
		v.Carry = t.over(t.Down) + t.over(t.Unpack) + float64(t.Change*(t.over(t.Pack)+t.over(t.Up)))
		if before && p.Bytes > 0 {
			v.Changed = 1 - float64(p.Same)/float64(p.Bytes)
		}
		switch {
		case p.Source > p.Bytes/2:
			v.Do, v.Why = FromStart, "most of it is under version control"
		case p.Bytes < leastBytes:
			v.Why = "too little to matter"
		case v.Changed > mostChanged:
			v.Why = fmt.Sprintf("%.0f %% of it is new in every build", 100*v.Changed)
		case p.Seconds <= v.Carry:
			v.Why = "got again sooner than carried"
		default:
			v.Do = Keep
			v.Why = fmt.Sprintf("spares %s a build", seconds(p.Seconds-v.Carry))
		}
		out = append(out, v)
	}
	slices.SortStableFunc(out, func(a, b Verdict) int {
		if (a.Do == Keep) != (b.Do == Keep) {
			if a.Do == Keep {
				return -1
			}
			return 1
		}
		return cmp.Compare(b.Bytes, a.Bytes)
	})
	return out
}

func seconds(x float64) string { return units.Duration(math.Round(x * 1e9)).Short() }

// Includes are the folders to keep, as a cache's list has them.
func Includes(list []Verdict) []string {
	out := []string{}
	for _, v := range list {
		if v.Do == Keep {
			out = append(out, strings.TrimSuffix(v.Path, "/")+"/")
		}
	}
	slices.Sort(out)
	return out
}
