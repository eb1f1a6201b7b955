package sizing

// powers of ten that are exact.
var powers = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15}

// plain reads a number written as most are, digits with a point perhaps, to the nearest
// double: whole numbers below 2^53 and these powers are exact, so that one division
// rounds rightly. ok is false for every other text, which strconv may well be able to read.
func plain(s string) (x float64, ok bool) {
	if len(s) == 0 || len(s) > len(powers) {
		return 0, false
	}
	n, point := 0, -1
	for i := range len(s) {
		switch c := s[i]; {
		case c >= '0' && c <= '9':
			n = 10*n + int(c-'0')
		case c == '.' && point < 0 && i > 0:
			point = i
		default:
			return 0, false
		}
	}
	if point < 0 {
		return float64(n), len(s) < len(powers)
	}
	return float64(n) / powers[len(s)-1-point], true
}
