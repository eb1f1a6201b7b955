package table

import "testing"

func TestCellsAreNoFormulas(t *testing.T) {
	for in, want := range map[string]string{
		"": "", "plain": "plain", "-5": "-5", "+1.5e3": "+1.5e3", "=1+1": "'=1+1", "@sum": "'@sum", "-x": "'-x",
		"+cmd|' /C calc'!A0": "'+cmd|' /C calc'!A0", "\t=1": "'\t=1", "a=b": "a=b",
	} {
		if got := Cell(in); got != want {
			t.Errorf("%q becomes %q, want %q", in, got, want)
		}
	}
}
