package sim

// A span is a part of a job's time, from the end of the span before it (the
// first: from submission). The end stands in the upper 56 bits, the cause below.
type span struct {
	endCause uint64
	by       int32
	next     int32
}

// spanBits is how many spans a piece holds, as a power of two.
const spanBits = 14

// spans are all jobs' parts, in pieces, so that none is ever moved.
type spans struct {
	pieces []*[1 << spanBits]span
	n      int32
}

// at is a span by its number.
func (s *spans) at(i int32) *span { return &s.pieces[i>>spanBits][i&(1<<spanBits-1)] }

// add adds a span and returns its number.
func (s *spans) add(x span) int32 {
	i := s.n
	if int(i>>spanBits) == len(s.pieces) {
		s.pieces = append(s.pieces, new([1 << spanBits]span))
	}
	s.n++
	*s.at(i) = x
	return i
}
