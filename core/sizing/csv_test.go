package sizing

import (
	"fmt"
	"strings"
	"testing"
)

func TestReadSamples(t *testing.T) {
	const text = `pod,container,at,cpu_seconds,memory,killed,limit
a-1,agent,2026-09-14T06:00:00Z,10,1Gi,,4Gi
a-2,agent,2026-09-14T06:00:05Z,0,512Mi,,
a-1,agent,2026-09-14T06:00:30Z,40,2.5Gi,,4Gi
a-1,side,0,1,,,
a-2,agent,1789365635,20,600M,,
a-1,agent,2026-09-14T06:01:00Z,55,,true,4Gi
`
	log, err := Read(strings.NewReader(text))
	if err != nil || log.Bads > 0 || len(log.Series) != 3 {
		t.Fatalf("%+v, %v", log, err)
	}
	runs, odd, short := log.Runs()
	if len(runs) != 2 || short != 1 || odd != (Oddities{}) {
		t.Fatalf("%+v, %+v, %d short", runs, odd, short)
	}
	if r := runs[0]; r.Pod != "a-1" || r.CPU != seconds(45) || r.Wall != seconds(60) || r.Memory != 4<<30 || !r.Killed {
		t.Errorf("%+v", r)
	}
	if r := runs[1]; r.Memory != 600e6 || r.CPU != seconds(20) || r.Wall != seconds(30) || r.Killed {
		t.Errorf("%+v", r)
	}
}

// Every bad row is counted with its place and the good ones are taken; what is no
// file of samples at all says what one is.
func TestBadSamples(t *testing.T) {
	log, err := Read(strings.NewReader("pod,at,cores,memory\na,0,1,1Gi\n,10,1,1Gi\na,soon,1,1Gi\na,20,-1,1Gi\na,30,1,lots\na,40\na,50,2,2Gi\na,60,NaN,1Gi\n"))
	if err != nil || log.Bads != 6 || len(log.Series) != 1 || len(log.Series[0].Samples) != 2 || !log.Series[0].Rate {
		t.Fatalf("%+v, %v", log, err)
	}
	var said []string
	for _, b := range log.Bad {
		said = append(said, b.String())
	}
	for i, want := range []string{
		"line 3, column pod", `line 4, column at: found "soon"`, `line 5, column cores: found "-1"`,
		`line 6, column memory: found "lots"`, "line 7: 2 fields where the header has 4", `line 9, column cores: found "NaN"`,
	} {
		if !strings.HasPrefix(said[i], want) {
			t.Errorf("%q, want %q", said[i], want)
		}
	}
	for text, want := range map[string]string{
		"":                           "no header",
		"pod,at,memry\n":             `did you mean "memory"?`,
		"pod,memory\n":               `"at" is missing`,
		"pod,at,at\n":                "is there twice",
		"pod,at,cores,cpu_seconds\n": "keep one of them",
	} {
		if _, err := Read(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

func FuzzReadSamples(f *testing.F) {
	f.Add("pod,at,cpu_seconds,memory\na,0,1,1Gi\na,30,2,1Gi\n")
	f.Add("pod,container,at,cores,disk,killed,limit\n\"a\",b,2026-09-14T06:00:00Z,1e9,9,yes,1\n")
	f.Fuzz(func(t *testing.T, text string) {
		log, err := Read(strings.NewReader(text))
		if err != nil {
			return
		}
		runs, _, short := log.Runs()
		if len(runs)+short != len(log.Series) {
			t.Fatalf("%d runs and %d short of %d series", len(runs), short, len(log.Series))
		}
		for _, r := range runs {
			if r.Wall < 0 || r.CPU < 0 || r.Memory < 0 || !(r.MeanCores >= 0) || !(r.PeakCores >= r.MeanCores-1e-6*r.MeanCores) {
				t.Fatalf("%+v", r)
			}
		}
	})
}

// Ten thousand runs of two hundred samples, read and sized.
func BenchmarkSizing(b *testing.B) {
	var text strings.Builder
	text.WriteString("pod,at,cpu_seconds,memory\n")
	for run := range 1000 {
		for i := range 200 {
			fmt.Fprintf(&text, "agent-%d,%d,%d,%d\n", run, run*1000+i*15, i*20, (1000+i%50)<<20)
		}
	}
	b.SetBytes(int64(text.Len()))
	for b.Loop() {
		log, err := Read(strings.NewReader(text.String()))
		if err != nil {
			b.Fatal(err)
		}
		runs, _, _ := log.Runs()
		if len(runs) != 1000 || Memory(runs, 0, Wish{}).Request == 0 {
			b.Fatal(len(runs))
		}
	}
}
