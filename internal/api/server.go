// Package api is the HTTP interface: typed operations under /api/v1 with an
// OpenAPI 3.1 document made from the code, sign-in, health and metrics, and the
// console. It translates; what things mean is the core's.
package api

import (
	"context"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"time"

	"tachyphor/internal/intake"
	"tachyphor/internal/signin"
	"tachyphor/internal/store"
	"tachyphor/internal/traced"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
)

// Config is what the interface is built on.
type Config struct {
	Store   *store.Store
	Queue   *work.Queue
	Intake  *intake.Intake
	Full    func() error // says why nothing can be stored now
	Log     *slog.Logger
	Version string
	// Hosts are the host names, without port, that requests may be addressed to.
	Hosts []string
	// Cookie is the name of the session cookie; two services on one machine need
	// different ones, for cookies do not tell ports apart.
	Cookie  string
	Console fs.FS // the built console, or nil
	// Sessions says how long they last; zero: UsualLives.
	Sessions Lives
	// Proxies are those before the service whose word is taken on from where a request comes, and whether
	// it came encrypted.
	Proxies []netip.Prefix
	// Traces tells what is done; nil: nobody.
	Traces *traced.Teller
	// Retention says how long records are kept, LiveAge how long live ones.
	Retention store.Retention
	LiveAge   time.Duration
	// Backup writes a backup of all records; Backups says how those stand that the service makes by itself.
	Backup  func(context.Context, io.Writer) error
	Backups func() wire.Backups
	// Provider signs people in; nil: there is none.
	Provider *signin.Provider
	// MayTell says why an address may not be told of events, nil where it may.
	MayTell func(address string) error
}

// server carries what operations need.
type server struct {
	Config
	metrics  *metrics
	works    *watched[store.Work]
	tries    *tries
	learning chan struct{} // holds one who learns
}

// New returns the handler of the whole interface.
func New(c Config) http.Handler {
	if c.Sessions == (Lives{}) {
		c.Sessions = UsualLives
	}
	s := &server{Config: c, tries: newTries(time.Now), works: newWatched(c.Store.LookAt), learning: make(chan struct{}, 1)}
	s.metrics = newMetrics(c)
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.HandleMethodNotAllowed = true
	r.UseRawPath, r.UnescapePathValues = true, true // what is named may have a slash in it
	trusted := make([]string, len(c.Proxies))
	for i, p := range c.Proxies {
		trusted[i] = p.String()
	}
	if err := r.SetTrustedProxies(trusted); err != nil {
		panic("api: " + err.Error()) // prefixes are well formed
	}
	r.Use(gin.CustomRecoveryWithWriter(nil, s.recovered), s.located, s.logged, s.guarded, timely)
	r.NoRoute(s.noRoute)
	r.NoMethod(func(g *gin.Context) {
		problem(g, http.StatusMethodNotAllowed, "this address does not accept "+g.Request.Method)
	})
	r.GET("/healthz", func(g *gin.Context) { g.String(http.StatusOK, "ok\n") })
	r.GET("/readyz", s.ready)
	r.GET("/metrics", s.authorized, s.viewing, gin.WrapH(s.metrics.handler()))
	r.GET("/sign-in", s.signInByLink)
	s.providerRoutes(r)
	s.shardRoutes(r)
	s.eventRoutes(r)
	r.Use(newBusy(mostAtOnce).pass, s.authorized, newStreams().pass, s.roomy, newGate(largeAtOnce, largePatience).pass)
	api := humagin.New(r, Describe(c.Version))
	api.UseMiddleware(s.permitted(api), asked(api))
	Operations(api, s)
	return breaksOff(packed(r))
}

// Describe returns the settings of the OpenAPI document.
func Describe(version string) huma.Config {
	d := huma.DefaultConfig("Tachyphor", version)
	d.Info.Description = "Design, size and simulate short-lived build agents on a Kubernetes cluster."
	d.OpenAPIPath, d.DocsPath, d.SchemasPath = "/api/v1/openapi", "", ""
	d.CreateHooks = nil
	d.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"bearer":  {Type: "http", Scheme: "bearer", Description: "A token, as `tachyphor serve` writes at its first start."},
		"session": {Type: "apiKey", In: "cookie", Name: "tachyphor_PORT", Description: "The console's cookie."},
	}
	d.Security = []map[string][]string{{"bearer": {}}, {"session": {}}}
	return d
}

// Operations registers every operation. s may be empty when only the document
// is wanted.
func Operations(api huma.API, s *server) {
	huma.DefaultArrayNullable = false // lists are never null here
	if s == nil {
		s = &server{}
	}
	s.sessionOperations(api)
	s.documentOperations(api)
	s.recordingOperations(api)
	s.templateOperations(api)
	s.trialOperations(api)
	s.fitOperations(api)
	s.usageOperations(api)
	s.scenarioOperations(api)
	s.textOperations(api)
	s.beginOperations(api)
	s.pathOperations(api)
	s.whyOperations(api)
	s.workOperations(api)
	s.learnOperations(api)
	s.factsOperations(api)
	s.outcomeOperations(api)
	s.weighingOperations(api)
	s.doubtOperations(api)
	s.pullOperations(api)
	s.explorationOperations(api)
	s.marginOperations(api)
	s.briefOperations(api)
	s.figureOperations(api)
	s.jobOperations(api)
	s.backtestOperations(api)
	s.forecastOperations(api)
	s.eventOperations(api)
	s.liveOperations(api)
	s.driftOperations(api)
	s.agentOperations(api)
	s.tokenOperations(api)
	s.peopleOperations(api)
	s.auditOperations(api)
	s.findOperations(api)
	s.recordOperations(api)
	described(api.OpenAPI())
}

// OpenAPI returns the interface's description as JSON.
func OpenAPI(version string) ([]byte, error) {
	gin.SetMode(gin.ReleaseMode)
	api := humagin.New(gin.New(), Describe(version))
	Operations(api, nil)
	return api.OpenAPI().MarshalJSON()
}

// summaries says what each operation does.
func summaries() map[string]string {
	gin.SetMode(gin.ReleaseMode)
	api := humagin.New(gin.New(), Describe(""))
	Operations(api, nil)
	out := map[string]string{}
	for _, path := range api.OpenAPI().Paths {
		for _, o := range []*huma.Operation{path.Get, path.Put, path.Post, path.Delete, path.Patch} {
			if o != nil {
				out[o.OperationID] = o.Summary
			}
		}
	}
	return out
}

func (s *server) recovered(g *gin.Context, p any) {
	s.Log.Error("defect while answering", "method", g.Request.Method, "path", g.Request.URL.Path, "panic", p)
	problem(g, http.StatusInternalServerError, "a defect of the service; its log says more")
	g.Abort()
}

// logged writes one line a request and counts it. Query strings stay out: the
// sign-in link's is a secret.
func (s *server) logged(g *gin.Context) {
	began := time.Now()
	ctx, span := s.Traces.Request(g.Request.Context(), g.Request.Method, g.Request.Header)
	g.Request = g.Request.WithContext(ctx)
	g.Next()
	took := time.Since(began)
	route := g.FullPath()
	if route == "" {
		route = "other"
	}
	s.metrics.observe(route, g.Request.Method, g.Writer.Status(), took)
	span.Answered(g.Request.Method+" "+route, callerOf(g.Request.Context()).Person, g.Writer.Status())
	level := slog.LevelDebug
	if g.Writer.Status() >= 500 {
		level = slog.LevelWarn
	}
	c := callerOf(g.Request.Context())
	s.Log.Log(g, level, "answered", "method", g.Request.Method, "path", g.Request.URL.Path, "who", c.Person, "from", c.from,
		"status", g.Writer.Status(), "ms", float64(took.Microseconds())/1000)
}

// roomy turns away what would be stored while the disk is full. What frees space, ends
// work or lets someone in goes on.
func (s *server) roomy(g *gin.Context) {
	path := g.Request.URL.Path
	switch g.Request.Method {
	case http.MethodGet, http.MethodHead, http.MethodDelete, http.MethodOptions:
		return
	}
	if strings.HasSuffix(path, "/cancel") || strings.HasPrefix(path, "/api/v1/session") || g.Query("dryRun") == "true" ||
		slices.Contains([]string{"/api/v1/check", "/api/v1/mend", "/api/v1/drafts"}, path) {
		return
	}
	if err := s.Full(); err != nil {
		problem(g, http.StatusInsufficientStorage, err.Error())
	}
}

func (s *server) ready(g *gin.Context) {
	ctx, cancel := context.WithTimeout(g, 3*time.Second)
	defer cancel()
	if err := s.Store.Ping(ctx); err != nil {
		problem(g, http.StatusServiceUnavailable, "the database does not answer; it is tried again all the time")
		return
	}
	if err := s.Full(); err != nil { // what is stored can be read, so that it stays where it is
		g.String(http.StatusOK, "ready to be read: "+err.Error()+"\n")
		return
	}
	g.String(http.StatusOK, "ready\n")
}

// noRoute serves the console; every address that is no file is one of its pages.
func (s *server) noRoute(g *gin.Context) {
	path := strings.TrimPrefix(g.Request.URL.Path, "/")
	if strings.HasPrefix(path, "api/") {
		problem(g, http.StatusNotFound, "there is nothing at this address; /api/v1/openapi.json lists what there is")
		return
	}
	if s.Console == nil || g.Request.Method != http.MethodGet && g.Request.Method != http.MethodHead {
		problem(g, http.StatusNotFound, "there is nothing at this address")
		return
	}
	if info, err := fs.Stat(s.Console, path); err != nil || info.IsDir() {
		path = "index.html"
	}
	if strings.HasPrefix(path, "assets/") { // named by their content
		g.Header("Cache-Control", "public, max-age=31536000, immutable")
	} else {
		g.Header("Cache-Control", "no-cache")
	}
	http.ServeFileFS(g.Writer, g.Request, s.Console, path)
}

// cutShort is the key under which a request carries whether its answer broke off
// after it had begun.
type cutShort struct{}

// brokeOff notes that the answer to a request broke off.
func brokeOff(ctx context.Context) {
	if cut, ok := ctx.Value(cutShort{}).(*bool); ok {
		*cut = true
	}
}

// breaksOff closes the connection of an answer that broke off, so that it does not
// look whole.
func breaksOff(h http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		cut := new(bool)
		h.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), cutShort{}, cut)))
		if *cut {
			panic(http.ErrAbortHandler)
		}
	})
}
