package learn

import (
	"testing"
	"time"
)

// What is written in a form is read in it, though most forms are passed over by their dates: as many
// values are read as when every form is tried.
func TestFormsAreFoundByTheirDates(t *testing.T) {
	for n := 0; n < len(clockForms); n += 181 { // 181 shares no factor with how many gaps, clocks and zones there are
		f := clockForms[n]
		var values []string
		for i := range 23 {
			at := time.Date(2026, time.Month(1+i%12), 1+i, i, 2*i, i, 0, time.UTC)
			values = append(values, at.Format(f.layout))
		}
		most := 0
		for _, g := range clockForms {
			read := 0
			for i, v := range values {
				if m, ok := g.read(v, time.UTC); ok && sensible(m) {
					read++
				} else if read == 0 && i == fewValues-1 {
					break
				}
			}
			most = max(most, read)
		}
		forms, read := formsOf(values, time.UTC)
		if read != most || most > 0 && len(forms) == 0 {
			t.Errorf("%q, as in %q: %d of %d read, %d when all forms are tried", f.layout, values[0], read, len(values), most)
		}
	}
	if forms, read := formsOf([]string{"2026", "", "1 of May", "soon"}, time.UTC); len(forms) > 0 || read > 0 {
		t.Errorf("%v, %d", forms, read)
	}
}
