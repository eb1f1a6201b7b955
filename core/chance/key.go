// Package chance holds distributions as engineers write them and the keyed
// streams of randomness from which they are drawn.
//
// There is no generator that is advanced: every random quantity has a Key, made
// from the seed, the repeat, what it is for and whom it is for, and one uniform
// number is a hash of that key. Changing a design therefore shifts no other
// draw, and two designs can be compared job by job (common random numbers).
package chance

// A Key names one random quantity. Keys are comparable. The zero Key is valid
// and is the root of seed 0.
type Key uint64

// Purpose says what a draw is for. Two purposes never share a draw.
type Purpose uint64

// What draws are made for.
const (
	Arrivals Purpose = 1 + iota
	ArrivalTime
	BurstTime
	Work
	Boot
	Start
	Join
	Wipe
	Branch     // whether a made job builds the trunk
	Change     // whether a build changes its dependencies
	Cold       // work that a job has without a cache
	Archive    // size of a packed workspace
	Memory     // peak memory of a job's attempt
	Disk       // peak disk of a job's attempt
	Peak       // point of the work at which the peak comes
	SaveFails  // whether a save fails
	BootFails  // whether a node comes up
	NoCapacity // whether there is a node to be had
	TakenBack  // when a spot node is taken back
	Install    // time to install a tool at boot
	ToolFails  // whether that fails
	Update     // time an agent takes to update itself
	Making     // time to make an image
	Attach     // time to attach a volume
	Slot       // which run comes next on a full node
	Meet       // peaks that meet on a node
	Follow     // names a job by the one that it comes after
	Recorded   // whether a recorded time holds cold work
	Before     // names a job that stands for a recorded one, periods before it
	Alike      // jobs like the recorded ones
	Detach     // time to detach a volume
	Outage     // when a pool has no node to give
	OutageLength
	Going     // time from a node's going to its being gone
	Bulk      // when spot nodes are taken back many at once, and which
	Person    // names somebody who submits jobs
	Think     // how long they think
	PullFails // whether carrying an image fails
	NotReady  // time from a node's being known to its being ready
	Exploring // which variants are tried first
	Again     // jobs that are there several times
	Spoils    // whether what earlier jobs left makes a job fail
	Wave      // which spot nodes are taken back in a wave
	Traffic   // size of what a job fetches or sends
	Red       // whether a job ends red by itself
	Request   // which change request a job builds
)

// Root returns the key from which all draws of one repeat of one seed descend.
func Root(seed uint64, repeat int) Key {
	return Key(mix(mix(seed+0x9e3779b97f4a7c15) ^ mix(uint64(repeat)+0x632be59bd9b4e019)))
}

// Name returns the number by which draws know a thing of a name, such as a pool or a
// recorded job: two things of different names have different ones but by a chance of
// one in 2^64. It is the FNV-1a hash of the name, mixed.
// Source: Fowler, Noll, Vo (draft-eastlake-fnv).
func Name(s string) uint64 {
	h := uint64(0xcbf29ce484222325)
	for i := range len(s) {
		h = (h ^ uint64(s[i])) * 0x100000001b3
	}
	return mix(h)
}

// For returns the key of one draw: the purpose, the entity and the ordinal of the draw
// for that entity. An entity is what the thing is, its Name or another Key, never its
// place in a list: a list that gains or loses something else then changes no draw.
func (k Key) For(p Purpose, entity, ordinal uint64) Key {
	h := mix(uint64(k) ^ uint64(p)*0xd6e8feb86659fd93)
	h = mix(h ^ (entity + 0x9e3779b97f4a7c15))
	return Key(mix(h ^ (ordinal+1)*0xa0761d6478bd642f))
}

// Uniform returns the key's number in the open interval (0, 1): an odd multiple of
// 2^-53, so that neither end nor any rounding to it can come up.
func (k Key) Uniform() float64 {
	return float64((float64(mix(uint64(k)+0x9e3779b97f4a7c15)>>12) + 0.5) / (1 << 52))
}

// mix is the finalizer of SplitMix64 (Steele, Lea, Flood: Fast splittable
// pseudorandom number generators, 2014): a bijection in which every input bit
// flips each output bit with probability about 1/2.
func mix(z uint64) uint64 {
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return z ^ z>>31
}
