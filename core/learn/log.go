package learn

import (
	"strconv"
	"strings"
	"time"
)

// log writes the jobs as our own readers take them.
func (t *taking) log(kinds []*kindOfJob) []byte {
	columns := []string{"submitted", "class"}
	has := map[string]bool{}
	use := func(name string, there bool) {
		if there {
			columns, has[name] = append(columns, name), true
		}
	}
	use("id", t.ids.Len() > 0)
	use("project", t.has(roleProject))
	use("wants", t.has(roleWants))
	use("branch", t.has(roleBranch) || t.has(roleChange))
	use("after", len(t.after) > 0)
	use("work", true)
	use("cores", t.has(roleCores))
	use("memory", t.has(roleMemory))
	use("disk", t.has(roleDisk))
	use("cache", t.has(roleCache) || t.cold)
	use("pod", t.has(rolePod) && t.has(roleStarted) && t.has(roleEnded))
	use("phases", t.has(rolePhases))
	use("started", t.waits || has["pod"])
	use("ended", has["started"])
	b := make([]byte, 0, 64+80*len(t.rows))
	b = append(append(b, strings.Join(columns, ",")...), '\n')
	ids := t.ids.String()
	stamp := func(m moment) { b = time.Unix(0, m).UTC().AppendFormat(b, time.RFC3339Nano) }
	for i := range t.rows {
		j := &t.rows[i]
		if j.ending == Never {
			continue
		}
		k := kinds[j.class]
		stamp(j.at)
		b = append(append(b, ','), k.name...)
		if has["id"] {
			b = appendField(append(b, ','), ids[j.id.from:j.id.to])
		}
		if has["project"] {
			b = appendField(append(b, ','), t.words[j.project])
		}
		if has["wants"] {
			if b = append(b, ','); t.o.Whole || j.wants != k.wants {
				b = appendField(b, t.words[j.wants])
			}
		}
		if has["branch"] {
			switch b = append(b, ','); j.change {
			case 0:
				b = append(b, "trunk"...)
			case 1:
				b = append(b, "change"...)
			}
		}
		if has["after"] {
			if b = append(b, ','); j.after >= 0 {
				b = appendField(b, strings.Join(t.after[j.after], " "))
			}
		}
		if b = append(b, ','); j.work >= 0 {
			b = strconv.AppendFloat(b, rounded(j.work, 9), 'f', -1, 64)
		}
		if has["cores"] {
			if b = append(b, ','); j.cores >= 0 {
				b = strconv.AppendFloat(b, rounded(float64(j.cores), 3), 'f', -1, 64)
			}
		}
		for _, x := range []struct {
			name string
			size float64
		}{{"memory", j.memory}, {"disk", j.disk}} {
			if has[x.name] {
				if b = append(b, ','); x.size > 0 {
					b = strconv.AppendInt(b, int64(x.size), 10)
				}
			}
		}
		if has["cache"] {
			b = append(append(b, ','), caches[j.cache]...)
		}
		if has["pod"] {
			b = appendField(append(b, ','), t.words[j.pod])
		}
		if has["phases"] {
			b = appendField(append(b, ','), t.words[j.phases])
		}
		if has["started"] {
			// Without a start of its own that is known, a row would say that it waited not at all.
			if b = append(b, ','); j.started > 0 && (j.waited || has["pod"] && t.words[j.pod] != "") {
				stamp(j.started)
			}
			if b = append(b, ','); j.ended > 0 && j.started > 0 {
				stamp(j.ended)
			}
		}
		b = append(b, '\n')
	}
	return b
}

// appendField writes a field of CSV.
func appendField(b []byte, s string) []byte {
	if !strings.ContainsAny(s, "\",\n\r") {
		return append(b, s...)
	}
	return append(append(append(b, '"'), strings.ReplaceAll(s, `"`, `""`)...), '"')
}
