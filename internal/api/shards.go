package api

import (
	"encoding/json"
	"errors"
	"net/http"
	"strconv"

	"tachyphor/core/explore"
	"tachyphor/core/sim"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/gin-gonic/gin"
)

// mostAnswered bounds what a pod answers at once.
const mostAnswered = 64 << 20

type blockKey struct{}

// shardRoutes are what pods that compute shards ask and answer. They are of one version of this
// program with the service, so nothing of it is in the interface's description. A token lets one in
// that is for one block of shards, lasts as long as that does, and opens nothing else.
func (s *server) shardRoutes(r *gin.Engine) {
	pods := r.Group("", newBusy(mostAtOnce).pass, s.ofBlock)
	pods.GET(wire.ShardsQuestionPath, func(g *gin.Context) { g.JSON(http.StatusOK, block(g).Question) })
	pods.GET(wire.ShardsJobsPath+":input", func(g *gin.Context) {
		g.Header("Content-Type", "application/octet-stream")
		err := s.Queue.RecordingOf(g, block(g), numbered(g, "input"), g.Writer)
		if errors.Is(err, work.ErrNoGroup) {
			problem(g, http.StatusNotFound, err.Error())
			return
		}
		if err != nil {
			s.Log.Warn("recorded jobs for a pod were cut short", "error", err)
			brokeOff(g.Request.Context())
		}
	})
	pods.GET(wire.ShardsGroupPath+":group", func(g *gin.Context) {
		group, err := block(g).Group(numbered(g, "group"))
		if err != nil {
			problem(g, http.StatusNotFound, err.Error())
			return
		}
		g.JSON(http.StatusOK, group)
	})
	pods.POST(wire.ShardsGroupPath+":group", s.answered)
}

// numbered is a number in a request's address; −1: it is none.
func numbered(g *gin.Context, name string) int {
	n, err := strconv.Atoi(g.Param(name))
	if err != nil {
		return -1
	}
	return n
}

// block is the block that a request's token is for.
func block(g *gin.Context) *work.Block { return g.MustGet(blockKey{}).(*work.Block) }

// ofBlock lets pods in that carry a block's token.
func (s *server) ofBlock(g *gin.Context) {
	token, _ := bearerOf(g)
	b, ok := s.Queue.BlockOf(token)
	if !ok {
		problem(g, http.StatusUnauthorized, "these shards are no longer wanted")
		return
	}
	g.Set(blockKey{}, b)
}

func (s *server) answered(g *gin.Context) {
	var list []wire.ShardAnswer
	if err := json.NewDecoder(http.MaxBytesReader(g.Writer, g.Request.Body, mostAnswered)).Decode(&list); err != nil {
		problem(g, http.StatusUnprocessableEntity, "expected the shards' answers: "+err.Error())
		return
	}
	err := block(g).Answer(list)
	switch {
	case errors.Is(err, explore.ErrOtherRuns), errors.Is(err, work.ErrNoGroup):
		problem(g, http.StatusUnprocessableEntity, err.Error())
	case errors.Is(err, work.ErrSaidElse):
		s.Log.Error("shards", "error", err)
		problem(g, http.StatusConflict, err.Error())
	case errors.Is(err, sim.ErrStopped):
		problem(g, http.StatusGone, "these shards are no longer wanted")
	case err != nil:
		s.Log.Warn("cannot keep what shards said", "error", err)
		problem(g, http.StatusServiceUnavailable, silent)
	default:
		g.Status(http.StatusNoContent)
	}
}
