package probe

import (
	"path"
	"strings"
)

// Lists say what of a workspace is packed: what is included, all of it where nothing is, less what is left out.
// An entry is a path from the top of the folder, with all below it, or a pattern as in build/*/cache; one without
// a slash is a name anywhere, as in *.log.
type Lists struct {
	Include  []string `json:"include"`
	LeaveOut []string `json:"leaveOut"`
}

// matches reports whether an entry is meant, or lies in what is.
func matches(pattern, name string) bool {
	pattern = strings.Trim(pattern, "/")
	for at := name; at != "." && at != ""; at = path.Dir(at) {
		if at == pattern {
			return true
		}
		if ok, _ := path.Match(pattern, at); ok {
			return true
		}
		if !strings.Contains(pattern, "/") {
			if ok, _ := path.Match(pattern, path.Base(at)); ok {
				return true
			}
		}
	}
	return false
}

// takes reports whether an entry is packed, and of a folder whether something below it may be.
func (l *Lists) takes(name string) (packed, below bool) {
	if l == nil {
		return true, true
	}
	for _, p := range l.LeaveOut {
		if matches(p, name) {
			return false, false
		}
	}
	if len(l.Include) == 0 {
		return true, true
	}
	for _, p := range l.Include {
		if matches(p, name) {
			return true, true
		}
		top := strings.Trim(p, "/")
		below = below || strings.HasPrefix(top, name+"/") || strings.ContainsAny(top, "*?[") || !strings.Contains(top, "/")
	}
	return false, below
}

// Check faults patterns that cannot be read.
func (l *Lists) Check() error {
	for _, p := range append(append([]string{}, l.Include...), l.LeaveOut...) {
		if _, err := path.Match(p, ""); err != nil || strings.Trim(p, "/") == "" {
			return &BadPattern{p}
		}
	}
	return nil
}

// BadPattern is a pattern that cannot be read.
type BadPattern struct{ Pattern string }

func (b *BadPattern) Error() string {
	return "\"" + b.Pattern + "\" is neither a path from the top of the folder nor a pattern such as *.log"
}
