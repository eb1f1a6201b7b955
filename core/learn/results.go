package learn

import "strings"

// An Ending is how a recorded job ended.
type Ending uint8

// The endings.
const (
	Unsaid   Ending = iota // the log does not say
	Done                   // it did its work, well
	Failed                 // it did its work, and that failed
	Cut                    // it was cut short in the middle of its work
	Never                  // it never started
	Underway               // it had not ended when the log was written
)

// endingNames are how endings are told and written.
var endingNames = map[Ending]string{Done: "done", Failed: "failed", Cut: "cut", Never: "never", Underway: "underway"}

func (e Ending) String() string { return endingNames[e] }

// EndingOf reads the name of an ending.
func EndingOf(s string) (Ending, bool) {
	for e, name := range endingNames {
		if name == s {
			return e, true
		}
	}
	return Unsaid, false
}

// known words of results, in lower case, letters only.
var endings = func() map[string]Ending {
	out := map[string]Ending{}
	for e, list := range map[Ending]string{
		Done: "success successful succeeded succeed passed pass ok okay done completed complete finished good green fixed normal stable " +
			"true yes s",
		Failed: "failure failed fail error errored errors broken red bad unstable faulted exception crashed partiallysucceeded false no f",
		Cut: "aborted abort cancelled canceled cancel killed kill timeout timedout timelimit interrupted terminated stopped evicted preempted " +
			"oom oomkilled lost nodefail nodefailure incomplete cutshort",
		Never: "skipped skip notbuilt notrun notstarted never pending queued waiting dropped expired blocked created manual scheduled stale " +
			"rejected superseded",
		Underway: "running inprogress building active started ongoing executing unfinished underway",
	} {
		for _, w := range strings.Fields(list) {
			out[w] = e
		}
	}
	return out
}()

// letters keeps the letters and digits of a word, in lower case.
func letters(s string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r >= 'A' && r <= 'Z':
			return r + 'a' - 'A'
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			return r
		}
		return -1
	}, s)
}

// ending reads a word of a result column; numbers are exit codes.
func (o *JobOptions) ending(word string) (Ending, bool) {
	if e, ok := o.Results[strings.ToLower(word)]; ok {
		return e, true
	}
	if word == "" {
		return Unsaid, true
	}
	l := letters(word)
	if e, ok := endings[l]; ok {
		return e, true
	}
	code, digits := 0, l != ""
	for _, r := range l {
		if r < '0' || r > '9' || code > 1e6 {
			digits = false
			break
		}
		code = 10*code + int(r-'0')
	}
	switch {
	case !digits:
		return Unsaid, false
	case code == 0:
		return Done, true
	case code == 130 || code == 137 || code == 143: // ended by a signal from outside
		return Cut, true
	}
	return Failed, true
}
