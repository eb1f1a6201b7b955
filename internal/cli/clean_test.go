package cli

import (
	"bytes"
	"fmt"
	"testing"
)

// A name cannot steer the terminal: what it has of control characters is shown as such,
// and only colours that we write ourselves go through, on a terminal that takes them.
func TestNamesDoNotSteerTheTerminal(t *testing.T) {
	for _, c := range []struct {
		colour   bool
		in, want string
	}{
		{false, "plain ünï\n\ttext\r\n", "plain ünï\n\ttext\r\n"},
		{false, "job \x1b]0;title\x07", "job \uFFFD]0;title\uFFFD"},
		{true, "\x1b[1mbold\x1b[0m \x1b[2J\x1b[H", "\x1b[1mbold\x1b[0m \uFFFD[2J\uFFFD[H"},
		{false, "\x1b[31mred", "\uFFFD[31mred"},
		{true, "a\rb\x00c\u009bd\u202ee", "a\uFFFDb\uFFFDc\uFFFDd\uFFFDe"},
	} {
		var out bytes.Buffer
		w := &cleaner{&out, c.colour}
		if n, err := fmt.Fprint(w, c.in); n != len(c.in) || err != nil {
			t.Errorf("%d, %v", n, err)
		}
		if out.String() != c.want {
			t.Errorf("%q becomes %q, want %q", c.in, out.String(), c.want)
		}
	}
}
