package mariadb

import (
	"fmt"
	"io"
	"os"
	"regexp"
	"strings"
	"syscall"

	"tachyphor/core/units"
)

// toInstall is the free space that a data folder takes at first, with room to go on.
const toInstall = 400 << 20

// Free is how much space a file system has for us where path lies.
func Free(path string) (units.Bytes, error) {
	var st syscall.Statfs_t
	if err := syscall.Statfs(path, &st); err != nil {
		return 0, err
	}
	return units.Bytes(st.Bavail) * units.Bytes(st.Bsize), nil
}

// roomToInstall refuses a disk on which a data folder would not be whole.
func (s *Server) roomToInstall() error {
	if free, err := Free(s.o.Dir); err == nil && free < toInstall {
		return fmt.Errorf("the disk that %s lies on has %s free, and a database takes %s at first; free some space, or use "+
			"another folder with --state",
			s.o.Dir, free.Short(), units.Bytes(toInstall).Short())
	}
	return nil
}

// wrong adds to an error what the server's log says of it last, and what to do.
func (s *Server) wrong(err error) error {
	last := lastError(s.path("server.log"))
	if last != "" {
		err = fmt.Errorf("%w. Its last word: %s", err, last)
	}
	free, ferr := Free(s.o.Dir)
	switch {
	case ferr == nil && free < 32<<20 || strings.Contains(last, "No space left"):
		return fmt.Errorf("%w. The disk that %s lies on has %s free: free some space and start again; nothing is lost", err, s.o.Dir,
			free.Short())
	case strings.Contains(last, "another mysqld") || strings.Contains(last, "Unable to lock"):
		return fmt.Errorf("%w. Another server uses %s: end it and start again", err, s.path("data"))
	case broken.MatchString(last):
		return fmt.Errorf("%w. Files of the database are damaged: keep a copy of %s, and put a backup of it in its place; its "+
			"whole log is %s", err, s.path("data"), s.path("server.log"))
	}
	return fmt.Errorf("%w. Its whole log is %s", err, s.path("server.log"))
}

// broken is how the server speaks of files that it cannot read.
var broken = regexp.MustCompile(`(?i)corrupt|checksum|ib_logfile|ibdata|redo|undo|doublewrite|tablespace|page number|magic|aria|Fatal error: Can't open|mysql\.\w+`)

// logLine is a line of the server's log that tells an error: when, who, how bad, what.
var logLine = regexp.MustCompile(`^\d{4}-\d\d-\d\d +\d+:\d\d:\d\d \d+ \[ERROR\] (.*)$`)

// tail is how much of the log is looked at.
const tail = 64 << 10

// lastError returns the first error of the server's last start in its log, which is what
// the later ones follow from; empty if there is none.
func lastError(path string) string {
	f, err := os.Open(path)
	if err != nil {
		return ""
	}
	defer func() { _ = f.Close() }()
	if info, err := f.Stat(); err == nil && info.Size() > tail {
		_, _ = f.Seek(-tail, io.SeekEnd)
	}
	b, err := io.ReadAll(io.LimitReader(f, tail))
	if err != nil {
		return ""
	}
	found := ""
	for line := range strings.Lines(string(b)) {
		line = strings.TrimSpace(line)
		if strings.Contains(line, " as process ") {
			found = ""
		}
		if m := logLine.FindStringSubmatch(line); m != nil && found == "" {
			found = strings.TrimSuffix(m[1], ".")
		}
	}
	return found
}
