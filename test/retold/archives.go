package retold

import (
	"cmp"
	"math"
	"slices"
)

// A Class is builds that are alike. Times are in seconds, sizes in GB, which is what the link
// to the store, and packing and unpacking, carry in so many seconds.
type Class struct {
	Project string // those of a project have the same dependencies; empty: none
	Changes bool   // every build changes its dependencies
	Cold    int    // work without a workspace; half of it with one that is out of date
	Size    int
	Limit   int // longest work; 0: none
	Rule    int // index into the store's rules; Never: no cache
}

// A Rule says what builds save, and for how long.
type Rule struct {
	Save    string // every-success, when-changed, every or never
	Every   int
	ByAll   bool // change requests save too
	ByClass bool // each class has an entry of its own, not each project
	Expires int  // 0: never
}

// A Build is a job that has an agent of its own from Begins on.
type Build struct {
	Class, Begins, Work int
	Change              bool // a change request, not the trunk
}

// A Store is what archives are kept in.
type Store struct {
	Classes                     []Class
	Names                       []string // of classes
	Rules                       []Rule
	Builds                      []Build // by Begins
	Room                        int     // 0: without limit
	Span                        int     // up to which it is told at least
	Latency, Pack, Unpack, Wipe int     // Pack and Unpack: seconds a GB
}

// A StoreTold is what happened: when each build ended, cleaning up included, whether it was
// stopped at its limit, and what the store did.
type StoreTold struct {
	Ended                       []int
	Stopped                     []bool
	Fresh, Stale, Missed, Saves int
	PushedOut, Refused, Expired int
}

type buildState int

const (
	toBegin buildState = iota
	asks
	carries
	unpacks
	works
	packs
	offers
	sends
	wipes
	ended
)

type build struct {
	Build
	state        buildState
	until, turn  int
	version, own int // of its dependencies: how often the trunk's changed; own above 0 is one that nobody else has
	entry        *archive
	stopped      bool
	brought      int  // GB that the store had for it
	fresh        bool // and they are up to date
}

// An archive is what one project or class has in the store.
type archive struct {
	name                string
	rule                int
	there               bool
	version, own        int
	size, saved, lastly int // lastly: when it was used last
}

type keeper struct {
	s       Store
	now     int
	turns   int
	builds  []*build
	entries []*archive
	out     StoreTold
}

// Archives tells what becomes of builds and their archives.
func Archives(s Store) StoreTold {
	k := &keeper{s: s}
	k.out.Ended, k.out.Stopped = make([]int, len(s.Builds)), make([]bool, len(s.Builds))
	for i, c := range s.Classes { // entries are known in the order of the classes
		if c.Rule != Never {
			k.entryOf(i)
		}
	}
	changes := map[string]int{}
	for i, b := range s.Builds {
		c := s.Classes[b.Class]
		with := c.Project
		if with == "" {
			with = "class " + s.Names[b.Class]
		}
		x := &build{Build: b, until: b.Begins}
		switch {
		case c.Changes && b.Change:
			x.own = i + 1
		case c.Changes && c.Rule != Never: // what nobody keeps is not followed
			changes[with]++
		}
		x.version = changes[with]
		if c.Rule != Never {
			x.entry = k.entryOf(b.Class)
		}
		k.builds = append(k.builds, x)
	}
	for more := true; more; k.now, more = k.next() {
		k.second()
	}
	for i, b := range k.builds {
		k.out.Ended[i], k.out.Stopped[i] = b.until, b.stopped
	}
	return k.out
}

// next is the next second in which something ends; more is false where what is told is over.
func (k *keeper) next() (at int, more bool) {
	at = math.MaxInt
	for _, x := range k.entries {
		if e := k.s.Rules[x.rule].Expires; x.there && e > 0 {
			at = min(at, x.saved+e)
		}
	}
	busy := false
	for _, b := range k.builds {
		if b.state != ended {
			at, busy = min(at, b.until), true
		}
	}
	return at, busy || at < k.s.Span
}

// entryOf is the entry of a class.
func (k *keeper) entryOf(class int) *archive {
	c := k.s.Classes[class]
	name := k.s.Names[class]
	if !k.s.Rules[c.Rule].ByClass && c.Project != "" {
		name = c.Project
	}
	for _, x := range k.entries {
		if x.name == name && x.rule == c.Rule {
			return x
		}
	}
	x := &archive{name: name, rule: c.Rule}
	k.entries = append(k.entries, x)
	return x
}

// each does something with the builds whose state ends now, in the order in which it began,
// until there is none.
func (k *keeper) each(do func(*build), states ...buildState) {
	for {
		var next *build
		for _, b := range k.builds {
			if slices.Contains(states, b.state) && b.until == k.now && (next == nil || b.turn < next.turn) {
				next = b
			}
		}
		if next == nil {
			return
		}
		do(next)
	}
}

func (k *keeper) to(b *build, s buildState, seconds int) {
	k.turns++
	b.state, b.until, b.turn = s, k.now+seconds, k.turns
}

// second tells one second: what the link has carried, entries that are too old, builds that
// begin, workspaces that are there, work that ends, and savings.
func (k *keeper) second() {
	k.each(func(b *build) {
		if b.state == carries {
			k.to(b, unpacks, b.brought*k.s.Unpack)
			return
		}
		k.enter(b)
		k.to(b, wipes, k.s.Wipe)
	}, carries, sends)
	for _, x := range k.entries {
		if e := k.s.Rules[x.rule].Expires; x.there && e > 0 && x.saved+e == k.now {
			x.there = false
			k.out.Expired++
		}
	}
	k.each(func(b *build) {
		if b.entry == nil {
			k.work(b, k.s.Classes[b.Class].Cold)
			return
		}
		k.to(b, asks, k.s.Latency)
	}, toBegin)
	k.each(k.ask, asks, unpacks)
	k.each(k.done, works)
	k.each(func(b *build) {
		if b.state == packs {
			k.to(b, offers, k.s.Latency)
			return
		}
		k.out.Saves++
		k.to(b, sends, k.s.Classes[b.Class].Size)
	}, packs, offers)
	k.each(func(b *build) { b.state = ended }, wipes)
}

// ask has a build look for its workspace, or begin with what has come.
func (k *keeper) ask(b *build) {
	x, cold := b.entry, k.s.Classes[b.Class].Cold
	if b.state == unpacks {
		if b.fresh {
			cold = 0
		} else {
			cold /= 2
		}
		k.work(b, cold)
		return
	}
	switch {
	case !x.there:
		k.out.Missed++
		k.work(b, cold)
		return
	case x.version == b.version && x.own == b.own:
		k.out.Fresh++
		b.fresh = true
	default:
		k.out.Stale++
	}
	x.lastly = k.now
	b.brought = x.size
	k.to(b, carries, x.size)
}

// work begins a build's work.
func (k *keeper) work(b *build, cold int) {
	all := b.Work + cold
	if limit := k.s.Classes[b.Class].Limit; limit > 0 && all > limit {
		all, b.stopped = limit, true
	}
	k.to(b, works, all)
}

// done ends a build's work, and saves its workspace where the rule says so.
func (k *keeper) done(b *build) {
	x := b.entry
	if x == nil || b.stopped {
		k.to(b, wipes, k.s.Wipe)
		return
	}
	rule := k.s.Rules[x.rule]
	saves := map[string]bool{
		"every-success": true,
		"when-changed":  !x.there || x.version != b.version || x.own != b.own,
		"every":         !x.there || k.now-x.saved >= rule.Every,
	}[rule.Save]
	if !saves || b.Change && !rule.ByAll {
		k.to(b, wipes, k.s.Wipe)
		return
	}
	k.to(b, packs, k.s.Classes[b.Class].Size*k.s.Pack)
}

// enter puts what a build has sent into the store, and what was used longest ago out of it.
func (k *keeper) enter(b *build) {
	x, size := b.entry, k.s.Classes[b.Class].Size
	x.there = false
	if k.s.Room > 0 && size > k.s.Room {
		k.out.Refused++
		return
	}
	for k.s.Room > 0 {
		var kept []*archive
		stored := 0
		for _, y := range k.entries {
			if y.there {
				kept, stored = append(kept, y), stored+y.size
			}
		}
		if stored+size <= k.s.Room {
			break
		}
		slices.SortStableFunc(kept, func(a, b *archive) int {
			return cmp.Or(cmp.Compare(a.lastly, b.lastly), cmp.Compare(a.name, b.name))
		})
		kept[0].there = false
		k.out.PushedOut++
	}
	*x = archive{name: x.name, rule: x.rule, there: true, version: b.version, own: b.own, size: size, saved: k.now, lastly: k.now}
}
