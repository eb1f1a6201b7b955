// Package service puts the service together: a database, the queue, the HTTP
// interface. It is what `tachyphor serve` runs and what tests start.
package service

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"tachyphor/core/units"
	"tachyphor/internal/api"
	"tachyphor/internal/intake"
	"tachyphor/internal/kube"
	"tachyphor/internal/library"
	"tachyphor/internal/mariadb"
	"tachyphor/internal/memory"
	"tachyphor/internal/signin"
	"tachyphor/internal/store"
	"tachyphor/internal/tell"
	"tachyphor/internal/traced"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"golang.org/x/net/netutil"
)

// Config says how to run the service.
type Config struct {
	State    string // folder for everything the service keeps; made if absent
	Address  string // to listen on; empty: DefaultAddress, or a free port when that is taken
	Database string // DSN; empty: a private server under State
	Hosts    []string
	Version  string
	Console  fs.FS
	Log      *slog.Logger
	Cluster  kube.Options   // the live cluster for preflights and rehearsals
	Far      work.Far       // how runs are computed there
	Near     bool           // pods there are processes of this machine, and reach the service at its own address
	Live     store.LiveRoom // how much of live records is kept; zero: intake.DefaultRoom
	// TellAllow are origins that events may be told to; TellKey is the file with the key that they are
	// signed with, empty: one of the state folder's.
	TellAllow []string
	TellKey   string
	Unsafe    bool // a private database without durability, for tests
	// Free tells the free space of the private database's disk; nil: as it is. For tests.
	Free func(path string) (units.Bytes, error)
	// LeastFree is the free space of that disk below which nothing more is taken in; 0: LeastFree.
	LeastFree units.Bytes
	// PodsIn are namespaces of live clusters that pods may be made in; work.AnyNamespace: in all.
	PodsIn []string
	// Certificate and Key are files for TLS, read again when they change; empty: without.
	Certificate, Key string
	// Proxies are those before the service whose word is taken on from where a request comes.
	Proxies []netip.Prefix
	// Retention says how long records are kept; nil: store.UsualRetention.
	Retention *store.Retention
	// Traces is where a collector is told what is done, by OTLP; empty: nowhere.
	Traces string
	// Backups says how often the service backs itself up.
	Backups Backups
	// Provider is a file that says by which OpenID provider people sign in; empty: by none.
	Provider string
	// Sessions says how long sessions of the console last; zero: api.UsualLives.
	Sessions api.Lives
}

// A Service is running until Close.
type Service struct {
	Access wire.Access

	config   Config
	lock     *os.File
	dsn      string
	backups  *backups
	database *mariadb.Server // nil when one was given
	disk     *disk           // of that; nil likewise
	store    *store.Store
	queue    *work.Queue
	intake   *intake.Intake
	teller   *tell.Teller
	server   *http.Server
	tls      *certificate     // nil: without
	provider *signin.Provider // nil: none
	traces   *traced.Teller   // likewise
	stop     context.CancelFunc
	all      sync.WaitGroup // what goes on until then
	served   chan error
}

// ErrTaken says that another service runs on the state folder.
var ErrTaken = errors.New("another service runs on this state folder; stop it, or use another folder with --state")

// Start brings everything up; when it returns the service answers.
func Start(ctx context.Context, c Config) (_ *Service, err error) {
	if c.Retention == nil {
		c.Retention = &store.UsualRetention
	}
	if c.Sessions == (api.Lives{}) {
		c.Sessions = api.UsualLives
	}
	s := &Service{config: c}
	defer func() {
		if err != nil {
			_ = s.Close()
		}
	}()
	memory.Heed(memory.Limit())
	if err := os.MkdirAll(c.State, 0o700); err != nil {
		return nil, fmt.Errorf("cannot use the state folder: %w", err)
	}
	if err := s.takeState(); err != nil {
		return nil, err
	}
	if c.Certificate != "" {
		s.tls = &certificate{cert: c.Certificate, key: c.Key, log: c.Log, now: time.Now, changed: s.renewed}
		if err := s.tls.read(); err != nil {
			return nil, err
		}
	}
	if c.Provider != "" {
		if s.provider, err = signin.Read(c.Provider); err != nil {
			return nil, fmt.Errorf("--oidc: %w", err)
		}
		if u, err := url.Parse(s.provider.Address); err == nil { // people come by that name
			s.config.Hosts = append(s.config.Hosts, strings.ToLower(u.Hostname()))
		}
	}
	listener, err := listen(c.Address) // before anything is made
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			_ = listener.Close()
		}
	}()
	dsn := c.Database
	if dsn == "" {
		c.Log.Info("starting the private database", "folder", filepath.Join(c.State, "mariadb"))
		s.database, err = mariadb.Start(ctx, mariadb.Options{Dir: filepath.Join(c.State, "mariadb"), Log: c.Log, Unsafe: c.Unsafe})
		if err != nil {
			return nil, err
		}
		dsn = s.database.DSN("tachyphor")
		s.disk = watched(c.State, c.Log)
		if c.LeastFree > 0 {
			s.disk.least = c.LeastFree
		}
		if c.Free != nil {
			s.disk.free = c.Free
		}
	}
	if s.dsn, err = store.Named(dsn); err != nil {
		return nil, err
	}
	if s.store, err = store.Open(ctx, dsn, c.Log); err != nil {
		return nil, err
	}
	if s.database != nil { // nobody else can be working on it
		if err := s.store.ReleaseAll(ctx); err != nil {
			return nil, err
		}
	}
	if err := s.store.DropExpired(ctx, c.Sessions.Idle); err != nil {
		return nil, err
	}
	folder, err := s.passage()
	if err != nil {
		return nil, err
	}
	if s.traces, err = traced.New(ctx, c.Traces, c.Version, func(err error) { c.Log.Warn("spans were not told to the collector", "error", err) }); err != nil {
		return nil, fmt.Errorf("--traces: %w", err)
	}
	s.Access.Address = "http://" + listener.Addr().String()
	if s.tls != nil {
		s.Access.Address, s.Access.Certificate = "https://"+listener.Addr().String(), s.tls.leaf()
	}
	if c.Near {
		c.Far.Reach = s.Access.Address
	}
	s.queue = work.Start(s.store, library.NewLibrary(s.store, folder), c.Log, s.disk.Full, work.Clusters{Options: c.Cluster, Namespaces: c.PodsIn}, c.Far, s.traces)
	if c.Live == (store.LiveRoom{}) {
		c.Live = intake.DefaultRoom
	}
	s.config.Live = c.Live
	s.intake = intake.Start(s.store, c.Log, c.Live)
	if err := s.tells(listener.Addr().(*net.TCPAddr).IP.IsLoopback()); err != nil {
		return nil, err
	}
	if !listener.Addr().(*net.TCPAddr).IP.IsLoopback() && s.tls == nil && len(c.Proxies) == 0 {
		c.Log.Warn("listening beyond this machine without encryption: tokens can be read on the way; give --tls-cert and --tls-key, or name the proxy with TLS before it with --proxy",
			"address", s.Access.Address)
	}
	if err := s.credentials(ctx); err != nil {
		return nil, err
	}
	s.backups = &backups{Backups: c.Backups, write: s.writeBackup, log: c.Log, now: time.Now}
	if s.backups.Dir == "" {
		s.backups.Dir = filepath.Join(c.State, "backups")
	}
	s.serve(netutil.LimitListener(listener, mostConnections))
	ctx, s.stop = context.WithCancel(context.Background())
	s.all.Go(func() { s.tidy(ctx) })
	s.all.Go(func() { s.backups.run(ctx) })
	return s, nil
}

// mostConnections is how many there are at once; more wait until one ends.
const mostConnections = 2048

// takeState makes sure that one service at a time uses the folder. The lock is
// the kernel's and goes with the process.
func (s *Service) takeState() error {
	f, err := os.OpenFile(filepath.Join(s.config.State, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return fmt.Errorf("cannot use the state folder: %w", err)
	}
	s.lock = f
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		return ErrTaken
	}
	return nil
}

// passage is the folder for files on their way, which what an earlier process left there
// is taken out of.
func (s *Service) passage() (string, error) {
	folder := filepath.Join(s.config.State, "passing")
	if err := os.RemoveAll(folder); err != nil {
		return "", err
	}
	return folder, os.MkdirAll(folder, 0o700)
}

// listen opens the address; with none given it goes to a free port when the
// usual one is taken.
func listen(address string) (net.Listener, error) {
	if address != "" {
		l, err := net.Listen("tcp", address)
		if err != nil {
			return nil, fmt.Errorf("cannot listen: %w; choose another address with --listen", err)
		}
		return l, nil
	}
	l, err := net.Listen("tcp", wire.DefaultAddress)
	if errors.Is(err, syscall.EADDRINUSE) {
		l, err = net.Listen("tcp", "127.0.0.1:0")
	}
	return l, err
}

// serve answers requests in the background.
func (s *Service) serve(l net.Listener) {
	hosts := append([]string{"127.0.0.1", "localhost", "::1"}, s.config.Hosts...)
	if u, err := url.Parse(s.config.Far.Reach); err == nil && u.Hostname() != "" {
		hosts = append(hosts, strings.ToLower(u.Hostname()))
	}
	port := l.Addr().(*net.TCPAddr).Port
	s.server = &http.Server{
		Handler: api.New(api.Config{
			Store: s.store, Queue: s.queue, Intake: s.intake, MayTell: s.teller.May, Full: s.disk.Full, Log: s.config.Log, Version: s.config.Version,
			Console: s.config.Console,
			Hosts:   hosts, Sessions: s.config.Sessions, Proxies: s.config.Proxies, Provider: s.provider, Traces: s.traces, Retention: *s.config.Retention, LiveAge: s.config.Live.Age, Backup: s.writeBackup, Backups: s.backups.State,
			Cookie: "tachyphor_" + strconv.Itoa(port),
		}),
		ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10,
		ErrorLog: slog.NewLogLogger(s.config.Log.Handler(), slog.LevelDebug),
	}
	s.served = make(chan error, 1)
	if s.tls != nil {
		s.server.TLSConfig = &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: s.tls.get}
		go func() { s.served <- s.server.ServeTLS(l, "", "") }()
		return
	}
	go func() { s.served <- s.server.Serve(l) }()
}

// renewed has the owner's file say which certificate the service has now.
func (s *Service) renewed(leaf string) {
	s.Access.Certificate = leaf
	if err := s.writeAccess(); err != nil {
		s.config.Log.Warn("cannot write the owner's file", "error", err)
	}
}

// Failed tells when the service ends by itself.
func (s *Service) Failed() <-chan error { return s.served }

// Close stops everything in order: requests, the queue, the database.
func (s *Service) Close() error {
	var errs []error
	if s.stop != nil {
		s.stop()
		s.all.Wait()
	}
	if s.server != nil {
		ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
		if s.server.Shutdown(ctx) != nil {
			errs = append(errs, s.server.Close()) // those who watch progress do not go by themselves
		}
		cancel()
	}
	if s.intake != nil {
		s.intake.Close()
	}
	if s.teller != nil {
		s.teller.Close()
	}
	if s.queue != nil {
		s.queue.Close()
	}
	if err := s.traces.Close(); err != nil {
		s.config.Log.Debug("spans were not told", "error", err)
	}
	if s.store != nil {
		errs = append(errs, s.store.Close())
	}
	if s.database != nil {
		errs = append(errs, s.database.Close())
	}
	if s.lock != nil {
		errs = append(errs, s.lock.Close())
	}
	return errors.Join(errs...)
}
