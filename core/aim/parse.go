package aim

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/table"
	"tachyphor/core/units"
)

// Grammar is how aims are written.
const Grammar = `aim    = SHARE "of" jobs ( "start" | "end" ) "within" TIME
       | "mean" ( "start delay" | "lead time" ) [ "of" jobs ] "at most" TIME
       | "bill at most" AMOUNT [ "a month" | "a year" ]
       | ( "nobody" | "no job" [ "of" CLASS ] ) "waits over" TIME
       | "no job" [ "of" CLASS ] "fails" [ "for" ( "memory" | "disk" | "time" ) ]
jobs   = "all jobs" | "jobs" | CLASS
SHARE  = a number above 0 and below 100 and "%"; TIME as in 60s, 5m, 1h30m
AMOUNT = a number in the cluster's currency; CLASS = the name of a class`

// An Error is a fault of an aim, with its place.
type Error struct {
	Text string // the aim
	At   int    // byte where the fault is
	Says string // what was expected
}

func (e *Error) Error() string {
	return fmt.Sprintf("%s\n%s^ %s", e.Text, strings.Repeat(" ", len([]rune(e.Text[:e.At]))), e.Says)
}

// Line is the fault in one line.
func (e *Error) Line() string {
	found := "its end"
	if rest := strings.Fields(e.Text[e.At:]); len(rest) > 0 {
		found = strconv.Quote(rest[0])
	}
	return fmt.Sprintf("at %s: %s", found, e.Says)
}

// most is how long an aim may be.
const most = 200

// A word is a part of an aim without blanks.
type word struct {
	text string
	at   int
}

// reader goes through the words of an aim.
type reader struct {
	text  string
	words []word
	next  int
}

// Parse reads an aim. Its error is an *Error.
func Parse(text string) (Aim, error) {
	r := &reader{text: text}
	if len(text) > most {
		r.text = text[:most]
		return Aim{}, &Error{r.text, 0, fmt.Sprintf("expected at most %d characters", most)}
	}
	for at := 0; at < len(text); {
		if text[at] == ' ' || text[at] == '\t' {
			at++
			continue
		}
		end := at
		for end < len(text) && text[end] != ' ' && text[end] != '\t' {
			end++
		}
		w := text[at:end]
		if n := strings.TrimSuffix(w, "%"); n != w && n != "" { // 95% is 95 %
			r.words = append(r.words, word{n, at}, word{"%", at + len(n)})
		} else {
			r.words = append(r.words, word{w, at})
		}
		at = end
	}
	a, err := r.aim()
	if err == nil && r.next < len(r.words) {
		err = r.wrong("expected nothing more")
	}
	if err != nil {
		return Aim{}, err
	}
	return a, nil
}

// at is where the next word is.
func (r *reader) at() int {
	if r.next < len(r.words) {
		return r.words[r.next].at
	}
	return len(r.text)
}

func (r *reader) wrong(says string) error { return &Error{r.text, r.at(), says} }

// peek is the next word in lower case; empty at the end.
func (r *reader) peek() string {
	if r.next < len(r.words) {
		return strings.ToLower(r.words[r.next].text)
	}
	return ""
}

// is goes on if the next words are these.
func (r *reader) is(words string) bool {
	list := strings.Fields(words)
	for i, w := range list {
		if r.next+i >= len(r.words) || !strings.EqualFold(r.words[r.next+i].text, w) {
			return false
		}
	}
	r.next += len(list)
	return true
}

// must goes on over words, or says which are expected.
func (r *reader) must(words string) error {
	for _, w := range strings.Fields(words) {
		if !r.is(w) {
			return r.wrong(fmt.Sprintf("expected %q", words) + meant(r.peek(), strings.Fields(words)))
		}
	}
	return nil
}

// one goes on over one of some choices and returns which, or says what is expected.
func (r *reader) one(choices ...string) (int, error) {
	for i, c := range choices {
		if r.is(c) {
			return i, nil
		}
	}
	firsts := make([]string, len(choices))
	for i, c := range choices {
		firsts[i] = strings.Fields(c)[0]
	}
	return 0, r.wrong("expected " + or(choices) + meant(r.peek(), firsts))
}

// or lists choices in quotes.
func or(choices []string) string {
	out := make([]string, len(choices))
	for i, c := range choices {
		out[i] = strconv.Quote(c)
	}
	return strings.Join(out[:len(out)-1], ", ") + " or " + out[len(out)-1]
}

// meant suggests the word that was meant.
func meant(found string, there []string) string {
	if near, ok := table.Nearest(found, there); ok && near != found {
		return fmt.Sprintf("; %q is almost %q", found, near)
	}
	return ""
}

func (r *reader) aim() (a Aim, err error) {
	first := r.peek()
	switch {
	case first == "":
		return a, r.wrong("expected an aim, as in: 95 % of all jobs start within 60s")
	case r.is("mean"):
		return r.mean()
	case r.is("bill"):
		return r.bill()
	case r.is("nobody"):
		return r.waits(Aim{Kind: Never})
	case r.is("no"):
		return r.no()
	case first[0] >= '0' && first[0] <= '9':
		return r.share()
	}
	return a, r.wrong("expected a share as in 95 %, or mean, bill, nobody or no job" + meant(first, []string{"mean", "bill", "nobody"}))
}

func (r *reader) share() (a Aim, err error) {
	x, err := r.amount("a share, as in 95 %")
	if err != nil {
		return a, err
	}
	if x <= 0 || x >= 100 {
		r.next--
		return a, r.wrong("expected a share above 0 and below 100; of all of them say: nobody waits over ...")
	}
	a.Share = x / 100
	if err = r.must("%"); err != nil {
		return a, err
	}
	if err = r.must("of"); err != nil {
		return a, err
	}
	if a.Class, err = r.jobs(); err != nil {
		return a, err
	}
	which, err := r.one("start within", "end within")
	if err != nil {
		return a, err
	}
	a.Moment = Moment(which)
	a.Within, err = r.time()
	return a, err
}

func (r *reader) mean() (a Aim, err error) {
	a.Kind = Mean
	which, err := r.one("start delay", "lead time")
	if err != nil {
		return a, err
	}
	a.Moment = Moment(which)
	if r.is("of") {
		if a.Class, err = r.jobs(); err != nil {
			return a, err
		}
	}
	if err = r.must("at most"); err != nil {
		return a, err
	}
	a.Within, err = r.time()
	return a, err
}

func (r *reader) bill() (a Aim, err error) {
	a.Kind = Bill
	if err = r.must("at most"); err != nil {
		return a, err
	}
	if a.Money, err = r.amount("an amount of the cluster's currency, as in 2500"); err != nil {
		return a, err
	}
	if r.next < len(r.words) {
		per, err := r.one("a month", "a year")
		if err != nil {
			return a, err
		}
		if a.Yearly = per == 1; a.Yearly {
			a.Money /= 12
		}
	}
	return a, nil
}

func (r *reader) no() (a Aim, err error) {
	if err = r.must("job"); err != nil {
		return a, err
	}
	if r.is("of") {
		if a.Class, err = r.jobs(); err != nil {
			return a, err
		}
	}
	if r.peek() == "waits" {
		a.Kind = Never
		return r.waits(a)
	}
	if _, err = r.one("fails", "waits"); err != nil {
		return a, err
	}
	if a.Kind = Fails; r.is("for") {
		causes := []string{string(Memory), string(Disk), string(Time)}
		which, err := r.one(causes...)
		if err != nil {
			return a, err
		}
		a.Cause = Cause(causes[which])
	}
	return a, nil
}

func (r *reader) waits(a Aim) (Aim, error) {
	err := r.must("waits over")
	if err == nil {
		a.Within, err = r.time()
	}
	return a, err
}

// reserved are words that no class is meant by.
var reserved = []string{"start", "end", "within", "at", "most", "waits", "fails", "of", "for", "over", "%"}

// jobs reads whose jobs are meant; empty: all.
func (r *reader) jobs() (class string, err error) {
	if r.is("all jobs") || r.is("jobs") || r.is("all") {
		return "", nil
	}
	if w := r.peek(); w == "" || slices.Contains(reserved, w) {
		return "", r.wrong(`expected "all jobs" or the name of a class`)
	}
	r.next++
	return r.words[r.next-1].text, nil
}

// amount reads a number that is not negative.
func (r *reader) amount(what string) (float64, error) {
	x, err := strconv.ParseFloat(strings.ReplaceAll(r.peek(), ",", ""), 64)
	if err != nil || !(x >= 0 && x < 1e15) {
		return 0, r.wrong("expected " + what)
	}
	r.next++
	return x, nil
}

// time reads a duration, in one word or with its unit apart.
func (r *reader) time() (units.Duration, error) {
	text := r.peek()
	if d, err := units.ParseDuration(text); err == nil && d > 0 {
		r.next++
		return d, nil
	}
	if r.next+1 < len(r.words) {
		unit := strings.ToLower(r.words[r.next+1].text)
		if unit == "min" {
			unit = "m"
		}
		if d, err := units.ParseDuration(text + unit); err == nil && d > 0 {
			r.next += 2
			return d, nil
		}
	}
	return 0, r.wrong("expected a time, as in 60s, 5m or 1h30m")
}
