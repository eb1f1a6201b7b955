package world

import "testing"

func TestOlderVersions(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want bool
	}{
		{"4.9", "4.10", true},
		{"4.10", "4.9", false},
		{"4.9", "4.9", false},
		{"4", "4.1", true},
		{"4.1", "4", false},
		{"4.9-rc", "4.9-rd", true},
		{"3.99", "4.0", true},
	} {
		if got := older(c.a, c.b); got != c.want {
			t.Errorf("older(%s, %s) = %v", c.a, c.b, got)
		}
	}
}
