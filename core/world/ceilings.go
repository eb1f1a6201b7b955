package world

// Ceilings returns the lowest and the highest ceiling that a template's calendar has;
// both are below 0 where it has none at some time.
func (t *Template) Ceilings() (low, high int) {
	for i, n := range t.Calendar.Steps() {
		if n.Ceiling < 0 {
			return -1, -1
		}
		if i == 0 || n.Ceiling < low {
			low = n.Ceiling
		}
		high = max(high, n.Ceiling)
	}
	return low, high
}

// Ahead reports whether agents of the template are kept ahead of demand at any time.
func (t *Template) Ahead() bool { return t.Calendar.Ahead() }
