package stats

import (
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
)

// errSpread says that a spread cannot be read.
var errSpread = errors.New("not a spread of values")

// MarshalJSON writes a spread so that UnmarshalJSON reads the same: as base64 of the differences
// from one value to the next, of all and of each part.
func (s Spread) MarshalJSON() ([]byte, error) {
	b := s.all.carried(nil)
	for i := range s.parts {
		b = s.parts[i].carried(b)
	}
	return json.Marshal(base64.StdEncoding.EncodeToString(b))
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (s *Spread) UnmarshalJSON(text []byte) error {
	var word string
	if err := json.Unmarshal(text, &word); err != nil {
		return err
	}
	b, err := base64.StdEncoding.DecodeString(word)
	if err != nil {
		return err
	}
	var out Spread
	ok := out.all.fetch(&b)
	for i := range out.parts {
		ok = ok && out.parts[i].fetch(&b)
	}
	if !ok || len(b) > 0 {
		return errSpread
	}
	*s = out
	return nil
}

func (p *part) carried(b []byte) []byte {
	b = binary.AppendUvarint(b, uint64(p.n))
	b = binary.AppendUvarint(b, uint64(len(p.values)))
	last := int64(0)
	for _, v := range p.values {
		b = binary.AppendVarint(b, v-last)
		last = v
	}
	return b
}

// fetch takes a part off the front; false: there is none.
func (p *part) fetch(b *[]byte) bool {
	n, used := binary.Uvarint(*b)
	if used <= 0 {
		return false
	}
	*b = (*b)[used:]
	many, used := binary.Uvarint(*b)
	if used <= 0 || many > uint64(len(*b)) { // a value takes a byte at least
		return false
	}
	*b = (*b)[used:]
	p.n, p.values = int(n), make([]int64, many)
	last := int64(0)
	for i := range p.values {
		d, used := binary.Varint(*b)
		if used <= 0 {
			return false
		}
		*b = (*b)[used:]
		last += d
		p.values[i] = last
	}
	return true
}
