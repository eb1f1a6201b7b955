package brief

import (
	"bytes"
	"encoding/xml"
	"io"
	"strings"
	"testing"
	"time"

	"tachyphor/core/aim"
	"tachyphor/core/explore"
	"tachyphor/core/stats"
)

// answer is one with names and figures that are ugly on purpose.
func answer() *explore.Answer {
	figure := func(x float64) stats.Figure { return stats.Figure{Mean: x, Half: x / 50, Runs: 3} }
	measures := func(delay, bill float64, v aim.Verdict) explore.Measures {
		return explore.Measures{
			Delay: figure(delay), Lead: figure(2 * delay), Bill: figure(bill), Worth: figure(bill),
			Aims: []aim.Reading{{Verdict: v, Is: 0.9}, {Verdict: v, Is: bill}},
		}
	}
	const bad = "<b onclick=x>|a*b`</b>"
	set := []explore.Setting{{Knob: bad, Is: "1", Was: "0"}}
	return &explore.Answer{
		Sweep: bad, Scenario: bad, Currency: "EUR", Least: "bill", Sentence: "Have " + bad, Possible: 3, Runs: 9, Best: 1,
		Aims:  []aim.Asked{{Says: bad, Kind: "share", Axis: "delay", At: 5e9}, {Says: "bill at most 1 a month", Kind: "bill", Axis: "bill", At: 1}},
		Knobs: []explore.Tried{{Knob: bad}},
		Variants: []explore.Variant{
			{Change: "as it is", Measures: measures(10e9, 200, aim.Missed), Frontier: true},
			{Change: bad, Settings: set, Measures: measures(1e9, 300, aim.Kept), Frontier: true},
			{Change: "other", Settings: set, Measures: measures(1e9, 300, aim.Undecided)},
		},
		Confirm: &explore.Confirmed{Best: measures(1e9, 300, aim.Kept), Today: measures(10e9, 200, aim.Missed), Repeats: 8, Tried: 1},
		Ladder:  []explore.Rung{{Setting: set[0], Added: measures(1e9, 300, aim.Kept)}},
		Matters: []explore.Matter{{Knob: bad, Delay: 0.8, Bill: 0.9}},
	}
}

// A page holds nothing that runs or is fetched, and nothing that comes from elsewhere becomes a
// part of it.
func TestBriefIsSafe(t *testing.T) {
	a := answer()
	lone := *a
	lone.Variants, lone.Best, lone.Confirm = a.Variants[:1], -1, nil
	for _, x := range []*explore.Answer{a, &lone} {
		b := OfExploration(x, About{Now: time.Date(2026, 11, 29, 0, 0, 0, 0, time.UTC), Diff: "--- a\n+++ b\n+" + "<i>```\n"})
		var html, md bytes.Buffer
		if err := Write(&html, "html", b); err != nil {
			t.Fatal(err)
		}
		if err := Write(&md, "markdown", b); err != nil {
			t.Fatal(err)
		}
		page := html.String()
		for _, no := range []string{"<script", "onclick=x>", "<b ", "<i>", "href=", "src=", "url(", "@import", "NaN", "Inf"} {
			if strings.Contains(page, no) {
				t.Errorf("the page holds %q", no)
			}
		}
		for _, want := range []string{"&lt;b onclick=x&gt;", "2026-11-29 00:00 UTC", "The variants", "prefers-color-scheme: dark", "size: A4"} {
			if !strings.Contains(page, want) {
				t.Errorf("the page lacks %q", want)
			}
		}
		for _, p := range b.Pictures {
			d := xml.NewDecoder(strings.NewReader(p.SVG))
			for {
				if _, err := d.Token(); err == io.EOF {
					break
				} else if err != nil {
					t.Fatalf("%s: %v", p.Title, err)
				}
			}
		}
		text := md.String()
		if strings.Contains(text, "<b ") || strings.Contains(text, "|a") && !strings.Contains(text, "\\|a") || !strings.Contains(text, "````diff") {
			t.Error(text)
		}
		for _, line := range strings.Split(text, "\n") {
			if strings.HasPrefix(line, "|") && !strings.HasSuffix(line, "|") {
				t.Errorf("a row is broken: %q", line)
			}
		}
	}
}

// What chance may have made is not told as a difference.
func TestChange(t *testing.T) {
	say := func(x float64) string { return "x" }
	for _, x := range []struct {
		f    stats.Figure
		want string
	}{
		{stats.Figure{Mean: 2, Half: 1, Runs: 3}, "+x"},
		{stats.Figure{Mean: -2, Half: 1, Runs: 3}, "−x"},
		{stats.Figure{Mean: -2, Half: 3, Runs: 3}, "no sure change"},
		{stats.Figure{}, "none"},
	} {
		if got := change(x.f, say); got != x.want {
			t.Errorf("%+v: %q, want %q", x.f, got, x.want)
		}
	}
}
