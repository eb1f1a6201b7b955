package cli

import (
	"bytes"
	"io"
	"regexp"
	"unicode/utf8"
)

// A cleaner writes text for people: what steers a terminal goes through where we wrote it,
// colours and weights, and nowhere else, so that no name out of a document or a log can.
type cleaner struct {
	out    io.Writer
	colour bool
}

// ours is a sequence that sets a colour or a weight.
var ours = regexp.MustCompile(`^\x1b\[[0-9;]{0,20}m`)

// Write writes b without what steers.
func (c *cleaner) Write(b []byte) (int, error) {
	text := b
	var clean bytes.Buffer
	for len(text) > 0 {
		i := bytes.IndexFunc(text, steers)
		if i < 0 {
			clean.Write(text)
			break
		}
		clean.Write(text[:i])
		text = text[i:]
		if text[0] == 0x1b && c.colour {
			if m := ours.Find(text); m != nil {
				clean.Write(m)
				text = text[len(m):]
				continue
			}
		}
		if bytes.HasPrefix(text, []byte("\r\n")) {
			clean.WriteString("\r\n")
			text = text[2:]
			continue
		}
		_, size := utf8.DecodeRune(text)
		clean.WriteRune(utf8.RuneError)
		text = text[size:]
	}
	_, err := c.out.Write(clean.Bytes())
	return len(b), err
}

// steers reports whether a terminal does something on a character but showing it.
func steers(r rune) bool {
	return r < 0x20 && r != '\n' && r != '\t' || r >= 0x7f && r < 0xa0 || r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069
}
