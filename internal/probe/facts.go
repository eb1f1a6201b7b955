package probe

import (
	"fmt"
	"math"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

// Chosen is the packing whose figures become facts: the named one, or without a name the
// one with which packing and sending takes least.
func (r *Report) Chosen(codec string, cores int) (Packing, error) {
	var best *Packing
	takes := func(p *Packing) float64 {
		t := p.Seconds
		if r.Carried != nil && r.Carried.Up > 0 {
			t += float64(p.Packed) / r.Carried.Up
		}
		return t
	}
	for i := range r.Packings {
		p := &r.Packings[i]
		if p.Cores != cores || codec != "" && p.Codec != codec || codec == "" && p.Codec == "none" {
			continue
		}
		if best == nil || takes(p) < takes(best) {
			best = p
		}
	}
	if best == nil {
		var there []string
		for _, p := range r.Packings {
			there = append(there, fmt.Sprintf("%s on %d", p.Codec, p.Cores))
		}
		what := codec
		if what == "" {
			what = "any packing"
		}
		return Packing{}, fmt.Errorf("%s on %d of the machine's cores was not measured; those that were: %s", what, cores, strings.Join(there, ", "))
	}
	return *best, nil
}

// saturated is how much less than so many single flows all together must carry for the
// link to have a total of its own.
const saturated = 0.9

// Edits are the changes that make a packing and the transfers facts of a cluster, with
// date and place beside them.
func (r *Report) Edits(c *document.ClusterSpec, p Packing) []document.Edit {
	var out []document.Edit
	measured := c.Measured
	at := r.At.Truncate(time.Second)
	note := func(fact, value, where, how string) {
		measured = document.Remeasured(measured, document.Measured{Fact: fact, Value: value, At: units.Instant{Time: at}, Where: where, How: how})
	}
	set := func(value, where, how string, path ...any) {
		out = append(out, document.Edit{Op: "add", Path: document.Pointer(append([]any{"spec"}, path...)...), Value: value})
		fact := ""
		for i, x := range path {
			if i > 0 {
				fact += "."
			}
			fact += fmt.Sprint(x)
		}
		note(fact, value, where, how)
	}
	where := r.Host
	cores := "one core"
	if p.Cores > 1 {
		cores = fmt.Sprintf("%d cores", p.Cores)
	}
	how := fmt.Sprintf("%s on %s, %s of %s packed", p.Codec, cores, units.Bytes(p.Packed).Short(), units.Bytes(p.Read).Short())
	set(rateText(p.Rate()), where, how, "store", "pack")
	if p.UnpackRate() > 0 {
		set(rateText(p.UnpackRate()), where, how, "store", "unpack")
	}
	if t := r.Carried; t != nil {
		where = r.Host + " to " + t.Where
		one := fmt.Sprintf("one object of %s", units.Bytes(t.Bytes).Short())
		set(rateText(t.Down), where, one, "links", "store", "perFlow")
		set(rateText(t.Up), where, one, "links", "store", "perFlowUp")
		set(units.Duration(math.Round(t.Latency*1e3)*1e6).String(), where, "shortest of five answers", "links", "store", "latency")
		many := fmt.Sprintf("%d objects at once", t.Flows)
		if t.Flows > 1 && t.DownAll < saturated*float64(t.Flows)*t.Down {
			set(rateText(t.DownAll), where, many, "links", "store", "down")
		}
		if t.Flows > 1 && t.UpAll < saturated*float64(t.Flows)*t.Up {
			set(rateText(t.UpAll), where, many, "links", "store", "up")
		}
	}
	return append(out, document.Edit{Op: "add", Path: document.Pointer("spec", "measured"), Value: document.Plain(measured)})
}

// rateText writes a rate to three digits, as a document has it.
func rateText(x float64) string {
	return strings.ReplaceAll(units.Decimal(math.Max(x, 1)), " ", "") + "/s"
}
