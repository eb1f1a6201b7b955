package kube

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

// dumped is a pod and its events as they are written down.
func dumped(spec, status string, events ...string) string {
	items := fmt.Sprintf(`{"kind":"Pod","metadata":{"name":"x","namespace":"slipway","generateName":"compile-wide-","creationTimestamp":`+
		`"2026-09-14T06:00:00Z"%s},"spec":{"containers":[{"name":"agent","image":"wide:1","resources":{"limits":{"memory":"2Gi"}}}]%s},"status":{%s}}`,
		map[bool]string{true: `,"deletionTimestamp":"2026-09-14T06:05:00Z"`}[strings.Contains(status, "going")], spec, strings.ReplaceAll(status, "going", ""))
	for i, e := range events {
		reason, says, _ := strings.Cut(e, ": ")
		items += fmt.Sprintf(`,{"kind":"Event","metadata":{"name":"e%d","namespace":"slipway"},"involvedObject":{"kind":"Pod","name":"x","namespace":"slipway"},`+
			`"reason":%q,"message":%q,"lastTimestamp":"2026-09-14T06:%02d:30Z"}`, i, reason, says, i)
	}
	return `{"kind":"List","items":[` + items + `,{"kind":"Node","metadata":{"name":"burst-1","creationTimestamp":"2026-09-14T06:01:00Z"}}` +
		`,{"kind":"Event","metadata":{"name":"last"},"involvedObject":{"kind":"Pod","name":"other"},"lastTimestamp":"2026-09-14T06:20:00Z"}]}`
}

const (
	placedAt = `"conditions":[{"type":"PodScheduled","status":"True","lastTransitionTime":"2026-09-14T06:02:00Z"}],`
	onNode   = `,"nodeName":"burst-1"`
)

func state(s string) string {
	return placedAt + `"containerStatuses":[{"name":"agent","image":"wide:1","restartCount":4,"state":` + s +
		`,"lastState":{"terminated":{"exitCode":137,"reason":"OOMKilled"}}}]`
}

// A pod that somebody else made is explained from what was written down of it.
func TestWhyOfADump(t *testing.T) {
	for name, c := range map[string]struct {
		dump     string
		says, do string
		worked   bool
		phases   string
	}{
		"no room": {
			dumped("", `"phase":"Pending","conditions":[{"type":"PodScheduled","status":"False","reason":"Unschedulable","message":"0/3 nodes: 3 Insufficient cpu."}]`,
				"FailedScheduling: 0/3 nodes: 3 Insufficient cpu."),
			"no node has enough CPU left", "Lower the request", false, "placing",
		},
		"no room, without events": {
			dumped("", `"conditions":[{"type":"PodScheduled","status":"False","reason":"Unschedulable","lastTransitionTime":"2026-09-14T06:00:01Z",`+
				`"message":"0/3 nodes: 3 node(s) had untolerated taint {spot: true}."}]`),
			"has a taint that it does not tolerate", "Add the toleration", false, "placing",
		},
		"a wrong image": {
			dumped(onNode, state(`{"waiting":{"reason":"ImagePullBackOff","message":"not found"}}`), "FailedScheduling: no", "Scheduled: to burst-1", "Failed: pull"),
			"cannot be pulled: not found", "name and tag", false, "placing node image",
		},
		"again and again": {
			dumped(onNode, state(`{"waiting":{"reason":"CrashLoopBackOff"}}`)),
			"ended 4 times, killed for memory", "Raise its limit", false, "placing image",
		},
		"killed": {
			dumped(onNode, state(`{"terminated":{"exitCode":137,"reason":"OOMKilled","startedAt":"2026-09-14T06:03:00Z","finishedAt":"2026-09-14T06:09:00Z"}}`)),
			"above its limit of 2Gi.", "tachyphor size", false, "placing image setup work",
		},
		"put off its node": {
			dumped(onNode, placedAt+`"phase":"Failed","reason":"Evicted","message":"The node was low on resource: ephemeral-storage."`),
			"The cluster ended the pod: Evicted", "ephemeral-storage", false, "placing image",
		},
		"at work": {dumped(onNode, state(`{"running":{"startedAt":"2026-09-14T06:03:00Z"}}`)), "at work for 17 min", "", true, "placing image setup work"},
		"done": {
			dumped(onNode, state(`{"terminated":{"exitCode":0,"startedAt":"2026-09-14T06:03:00Z","finishedAt":"2026-09-14T06:09:00Z"}}`)),
			"did its job and went", "", true, "placing image setup work",
		},
		"going":           {dumped(onNode, "going"+placedAt+`"phase":"Running"`), "It is going since 15 min", "", false, "placing image"},
		"nobody placed":   {dumped("", `"phase":"Pending"`), "no scheduler looks at it", "schedulerName", false, "placing"},
		"volume":          {dumped(onNode, placedAt+`"phase":"Pending"`, "Scheduled: x", "FailedMount: no such claim"), "cannot be mounted: no such claim", "claim", false, "placing image"},
		"nothing is told": {`{"kind":"Pod","metadata":{"name":"x"},"spec":{"nodeName":"n"},"status":{}}`, "It is on its node", "", false, "placing image"},
	} {
		d := &Dump{}
		if err := d.Read([]byte(c.dump)); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if d.AsOf.IsZero() {
			d.AsOf = time.Date(2026, 9, 14, 7, 0, 0, 0, time.UTC)
		}
		p := &d.Pods[0]
		events, node := d.Of(p)
		r := Why(p, events, node, d.AsOf)
		var phases []string
		for _, s := range r.Stretches {
			phases = append(phases, s.Phase)
			if s.Ns < 0 || s.From < 0 {
				t.Errorf("%s: %+v", name, s)
			}
		}
		if !strings.Contains(r.Says, c.says) || !strings.Contains(r.Do, c.do) || (r.Do == "") != (c.do == "") || r.Worked != c.worked ||
			strings.Join(phases, " ") != c.phases {
			t.Errorf("%s: %q, %q, worked %v, %v", name, r.Says, r.Do, r.Worked, phases)
		}
	}
	for _, text := range []string{"", "a: b\n", "{", `{"kind":"Pod","metadata":5}`, "kind: [\n"} {
		if err := (&Dump{}).Read([]byte(text)); err == nil {
			t.Errorf("%q is taken", text)
		}
	}
}

// Whatever a dump is, it is read or refused with a reason, and each of its pods is explained.
func FuzzDump(f *testing.F) {
	for _, s := range []string{
		`{"kind":"List","items":[{"kind":"Pod","metadata":{"name":"a","namespace":"n","creationTimestamp":"2026-09-14T06:00:00Z"},` +
			`"spec":{"nodeName":"x","containers":[{"name":"agent","image":"i"}]},"status":{"phase":"Failed","containerStatuses":[{"name":"agent",` +
			`"state":{"terminated":{"exitCode":137,"reason":"OOMKilled"}}}]}},{"kind":"Event","involvedObject":{"kind":"Pod","name":"a","namespace":"n"},` +
			`"reason":"FailedScheduling","message":"0/3 nodes are available: 3 Insufficient cpu.","lastTimestamp":"2026-09-14T06:20:00Z"},` +
			`{"kind":"Node","metadata":{"name":"x"}}]}`,
		"kind: Pod\nmetadata: {name: b}\nstatus: {containerStatuses: [{state: {waiting: {reason: ImagePullBackOff}}}]}\n", `{"kind":"Pod"}{"kind":"Event"}`,
	} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		var d Dump
		if d.Read(data) != nil {
			return
		}
		for i := range d.Pods {
			events, node := d.Of(&d.Pods[i])
			if r := Why(&d.Pods[i], events, node, d.AsOf); r.Says == "" {
				t.Fatalf("nothing is said of %+v", d.Pods[i])
			}
		}
	})
}
