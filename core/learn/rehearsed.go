package learn

import (
	"fmt"
	"slices"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

// A Rehearsed is what one agent tells that was made on a cluster and followed.
type Rehearsed struct {
	At    time.Time
	Where string        // cluster and node
	Start time.Duration // from its images' being there to its containers' start; 0: not seen
	Pulls []string      // what kubelets said of pulls
}

// byRehearsal is how a fact was measured that rehearsals tell.
const byRehearsal = "rehearsals"

// Edits are the changes that make a rehearsal facts of a cluster: the start of containers, to
// which every rehearsal adds a sample, and sizes of images. What records told, which is more
// than one agent tells, stays, as does what somebody wrote by hand unless all is taken; left
// names it.
func (r *Rehearsed) Edits(c *document.ClusterSpec, all bool) (edits []document.Edit, left []string) {
	measured := c.Measured
	set := func(fact, path string, there bool, value any, says string, count int) {
		at := slices.IndexFunc(measured, func(m document.Measured) bool { return m.Fact == fact })
		switch {
		case all, at < 0 && !there:
		case at < 0:
			left = append(left, fact+": somebody wrote it by hand")
			return
		case measured[at].How != byRehearsal && measured[at].Count > count:
			left = append(left, fmt.Sprintf("%s: measured of %d", fact, measured[at].Count))
			return
		}
		edits = append(edits, document.Edit{Op: "add", Path: path, Value: document.Plain(value)})
		measured = document.Remeasured(measured, document.Measured{
			Fact: fact, Value: says, At: units.Instant{Time: r.At.UTC().Truncate(time.Second)}, Where: r.Where, How: byRehearsal, Count: count,
		})
	}
	if r.Start > 0 {
		samples := []units.Duration{roundTime(r.Start.Seconds())}
		if slices.ContainsFunc(measured, func(m document.Measured) bool { return m.Fact == "agents.start" && m.How == byRehearsal }) {
			switch had := c.Agents.Start; {
			case had.Fixed != nil:
				samples = append(samples, *had.Fixed)
			default:
				samples = append(samples, had.Samples...)
			}
		}
		slices.Sort(samples)
		times := document.Times{Samples: samples}
		if len(samples) == 1 {
			times = document.Times{Fixed: &samples[0]}
		}
		set("agents.start", "/spec/agents/start", !c.Agents.Start.IsZero(), times, says(times), len(samples))
	}
	for _, text := range r.Pulls {
		p, ok := pulledAs(text)
		i := slices.IndexFunc(c.Images, func(x document.Image) bool { return x.Name == p.image })
		if !ok || p.bytes == 0 || i < 0 || len(c.Images[i].Layers) > 0 || c.Images[i].Size == units.Bytes(p.bytes) {
			continue
		}
		size := roundSize(float64(p.bytes))
		set("images."+p.image, fmt.Sprintf("/spec/images/%d/size", i), c.Images[i].Size > 0, size, size.String(), 1)
	}
	if len(edits) > 0 {
		edits = append(edits, document.Edit{Op: "add", Path: "/spec/measured", Value: document.Plain(measured)})
	}
	return edits, left
}
