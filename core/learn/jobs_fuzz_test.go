package learn

import (
	"bytes"
	"strings"
	"testing"

	"github.com/klauspost/compress/gzip"
)

// Whatever a file is, it is learned or refused with a reason, and what is learned can be
// read by our own readers (which Jobs checks itself).
func FuzzJobs(f *testing.F) {
	for _, s := range []string{
		"id,job,queued,duration\n1,a,2026-09-07 10:00:00,60\n2,a,2026-09-07 10:05:00,61\n",
		"id;job;queued;dauer\n1;a;7.9.2026 10:00;0:01:00\n2;a;13.9.2026 10:05;0:02:00\n",
		"1\t2026-09-07T10:00:00Z\t2026-09-07T10:01:00Z\tok\n2\t2026-09-07T10:00:00Z\t2026-09-07T10:02:00Z\tfailed\n",
		`[{"id":1,"t":{"started":1788739217821,"ended":1788739277821},"labels":["a","b"],"status":"ok"}]`,
		`{"jobs":[{"name":"x","start":"2026-09-07T10:00:00Z","end":"2026-09-07T11:00:00Z"}]}`,
		"{\"name\":\"x\",\"start\":1788739217,\"took\":\"8m\"}\n{\"name\":\"y\",\"start\":1788739317,\"took\":\"PT8M\"}\n",
		"a,b\n\"1,\n2\",\"3\"\n\"", "\xff\xfei\x00d\x00", "\x1f\x8b\x08", "\x28\xb5\x2f\xfd", "PAR1",
		"", "#\n", "sep=;\na;b\n1;2\n", "Total,,\n", "\r\r\r",
		"created,seconds,memory,wants\n2026-09-07 10:00:00,1.5,3Gi,[a b]\n2026-09-07 10:00:00,2.5,4Gi,\"a,c\"\n",
	} {
		f.Add([]byte(s), uint8(0))
	}
	var z bytes.Buffer
	w := gzip.NewWriter(&z)
	_, _ = w.Write([]byte("id,queued,ms\n1,1788739217,5000\n"))
	_ = w.Close()
	f.Add(z.Bytes(), uint8(3))
	f.Fuzz(func(t *testing.T, data []byte, how uint8) {
		o := JobOptions{SkipBad: how&1 != 0}
		if how&2 != 0 {
			o.Units = map[string]string{"work": "ms"}
		}
		if how&4 != 0 {
			o.Dates = "day-first"
		}
		if how&8 != 0 {
			o.Header = "no"
		}
		if how&16 != 0 {
			o.Columns = map[string]string{"submitted": "1", "work": "2", "wants": "3"}
		}
		got, err := Jobs([]File{{Name: "f", Data: bytes.Clone(data)}}, o, nil)
		if err != nil {
			if why := err.Error(); why == "" || strings.Contains(why, "what was learned") || strings.Contains(why, "that was learned") {
				t.Fatalf("%v", err)
			}
			return
		}
		if got.Jobs < 1 || len(got.Log) == 0 || len(got.Classes) == 0 {
			t.Fatalf("%+v", got)
		}
	})
}
