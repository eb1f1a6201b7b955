package learn

import (
	"bytes"
	"testing"
)

// Whatever a file of records is, it is learned or refused with a reason.
func FuzzRecords(f *testing.F) {
	for _, s := range []string{
		`{"kind":"List","items":[{"kind":"Node","metadata":{"name":"a","creationTimestamp":"2026-09-14T06:00:00Z","labels":{"x/pool":"p"}},` +
			`"status":{"capacity":{"cpu":"4","memory":"16Gi","pods":"110"},"allocatable":{"cpu":"3800m","memory":"15Gi"},` +
			`"conditions":[{"type":"Ready","status":"True","lastTransitionTime":"2026-09-14T06:01:00Z"}]}},` +
			`{"kind":"Pod","metadata":{"name":"p","ownerReferences":[{"kind":"DaemonSet","name":"d"}]},"spec":{"nodeName":"a","containers":[{"name":"c",` +
			`"image":"i:1","resources":{"requests":{"cpu":"1"}}}]},"status":{}},{"kind":"Event","reason":"Pulled","message":"Successfully pulled image ` +
			`\"i:1\" in 3s (4s including waiting). Image size: 99999999 bytes.","involvedObject":{"kind":"Pod","name":"p"},"firstTimestamp":"2026-09-14T06:02:00Z"}]}`,
		"apiVersion: v1\nkind: NodeList\nitems:\n- metadata: {name: n}\n  status: {capacity: {cpu: 1e9, memory: 1E}}\n---\nkind: StorageClass\n",
		`{"kind":"NodeList","items":[{}]}`, `{"kind":"Pod"}{"kind":"Node","metadata":{"name":""}}`, "{", "[]", "", "kind: [", `{"items":[1]}`,
		`{"kind":"Node","status":{"capacity":{"cpu":"-1","memory":"x"}}}`,
	} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		r, err := ReadRecords([]File{{Name: "f", Data: bytes.Clone(data)}})
		if err != nil {
			return
		}
		got, err := Cluster(r, ClusterOptions{})
		if err == nil && (got.Cluster == "" || len(got.spec.Pools) == 0) {
			t.Fatalf("%+v", got)
		}
		if err == nil {
			got.Onto(&got.spec, true)
		}
	})
}
