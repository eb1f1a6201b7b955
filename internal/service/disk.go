package service

import (
	"fmt"
	"log/slog"
	"sync"
	"time"

	"tachyphor/core/units"
	"tachyphor/internal/mariadb"
)

// LeastFree is the free space below which nothing more is taken in unless another is said, so that the
// database never comes to the end of its disk, where it would stop answering at all.
const LeastFree units.Bytes = 100 << 20

// A disk is watched for free space.
type disk struct {
	path string
	// least is the free space below which it is full.
	least units.Bytes
	free  func(path string) (units.Bytes, error)
	log   *slog.Logger
	now   func() time.Time

	mu   sync.Mutex
	at   time.Time // of the last look
	full error     // what it came to
}

// Full is an error while the disk has too little free space to take anything in.
func (d *disk) Full() error {
	if d == nil {
		return nil
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.now().Sub(d.at) < time.Second {
		return d.full
	}
	free, err := d.free(d.path)
	was := d.full
	d.at, d.full = d.now(), nil
	if err == nil && free < d.least {
		d.full = fmt.Errorf("the disk that %s lies on has %s free, and below %s nothing is stored: free some space; what is "+
			"stored can be read", d.path, free.Short(), d.least.Short())
	}
	if (was == nil) != (d.full == nil) {
		if d.full != nil {
			d.log.Error("the disk is full", "error", d.full)
		} else {
			d.log.Info("the disk has room again", "free", free.Short())
		}
	}
	return d.full
}

// watched is the disk of a private database.
func watched(path string, log *slog.Logger) *disk {
	return &disk{path: path, least: LeastFree, free: mariadb.Free, log: log, now: time.Now}
}
