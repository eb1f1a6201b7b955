package api

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net/http"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/learn"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// mostLearned bounds a job log that the service learns, once it is unpacked: several times
// as much is held in memory while it does. The command line takes longer ones.
const mostLearned = 128 << 20

func (s *server) learnOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "learn-jobs", Method: http.MethodPost, Path: "/api/v1/learn/jobs", Summary: "Make a workload of a job log",
		Description: "The body is a job log in any form of table. What was understood of it is answered, with the reason for each guess; " +
			"nothing is stored unless into is given.",
		Tags: []string{"documents"},
		RequestBody: &huma.RequestBody{
			Required: true,
			Content:  map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: "string", Format: "binary"}}},
		},
	}, s.learnJobs)
}

func (s *server) learnJobs(ctx context.Context, in *struct {
	Column    []string `query:"column,explode" maxItems:"40" doc:"ROLE=NAME: what a column says, by its name or number, or - for none."`
	Unit      []string `query:"unit,explode" maxItems:"10" doc:"ROLE=UNIT of work, wait, memory or disk."`
	Result    []string `query:"result,explode" maxItems:"100" doc:"WORD=done, failed, cut, never or underway."`
	Trunk     []string `query:"trunk,explode" maxItems:"20" doc:"Branches that are the trunk."`
	Delimiter string   `query:"delimiter" maxLength:"3" doc:"Character between fields, or tab."`
	Encoding  string   `query:"encoding" maxLength:"20" doc:"utf-8, utf-16le, utf-16be, latin-1 or windows-1252."`
	Header    string   `query:"header" doc:"yes or no."`
	Dates     string   `query:"dates" doc:"day-first or month-first."`
	Decimal   string   `query:"decimal" doc:"point or comma."`
	Zone      string   `query:"zone" maxLength:"63" doc:"Time zone of times that name none, and of the week."`
	From      string   `query:"from" maxLength:"40" doc:"Jobs before are left out."`
	Until     string   `query:"until" maxLength:"40" doc:"Jobs from here on are left out."`
	ColdAfter string   `query:"coldAfter" maxLength:"20" doc:"Pause of a class after which its next run may be cold, as in 6h; no: only a cache column tells. Absent: 6h."`
	Least     int      `query:"least" minimum:"0" doc:"Fewest jobs of a class of its own."`
	SkipBad   bool     `query:"skipBad" doc:"Leave rows out that cannot be read."`
	Name      string   `query:"name" maxLength:"63" doc:"Name of the workload; absent: that of the file."`
	File      string   `query:"file" maxLength:"255" doc:"Name of the file."`
	Into      string   `query:"into" maxLength:"63" doc:"Store the workload under this name."`
	sent
},
) (*struct{ Body wire.LearnedJobs }, error) {
	asked := learn.Asked{
		Columns: in.Column, Units: in.Unit, Results: in.Result, Trunk: in.Trunk, Delimiter: in.Delimiter, Encoding: in.Encoding,
		Header: in.Header, Dates: in.Dates, Decimal: in.Decimal, Zone: in.Zone, From: in.From, Until: in.Until, Least: in.Least, ColdAfter: in.ColdAfter,
		SkipBad: in.SkipBad, Name: in.Name,
	}
	switch {
	case in.Into != "":
		asked.Name = in.Into
	case in.Name == "" && in.File != "":
		asked.Name = learn.NameOf(in.File)
	}
	o, err := asked.Options()
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	o.Most = mostLearned
	data, err := io.ReadAll(http.MaxBytesReader(nil, io.NopCloser(in.body), mostLearned))
	if lost := notWhole(err, "the log is larger than 128 MiB; learn it with the command line, or a part of it"); lost != nil {
		return nil, lost
	}
	if err != nil {
		return nil, huma.Error400BadRequest("the file broke off")
	}
	done, err := s.learns(ctx)
	if err != nil {
		return nil, err
	}
	defer done()
	got, err := learn.Jobs([]learn.File{{Name: "the log", Data: data}}, o, nil)
	return s.learned(ctx, got, err, in.Into != "")
}

// learns waits until no other learns: each takes several times its size of memory.
func (s *server) learns(ctx context.Context) (done func(), err error) {
	select {
	case s.learning <- struct{}{}:
		return func() { <-s.learning }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// learned answers what was understood of a log, or why it was refused, and stores it where that
// is wanted.
func (s *server) learned(ctx context.Context, got *learn.LearnedJobs, refused error, keep bool) (*struct{ Body wire.LearnedJobs }, error) {
	out := &struct{ Body wire.LearnedJobs }{wire.LearnedJobs{LearnedJobs: *got, Roles: learn.JobRoles()}}
	if refused != nil {
		out.Body.Refused = refused.Error()
		return out, nil
	}
	if !keep {
		return out, nil
	}
	var err error
	out.Body.Stored, err = s.storeLearned(ctx, got)
	return out, err
}

// storeLearned stores a workload with its jobs.
func (s *server) storeLearned(ctx context.Context, got *learn.LearnedJobs) (*wire.Stored, error) {
	digest, _, err := s.Queue.Library.Keep(ctx, bytes.NewReader(got.Log), nil, false)
	if bad := (library.BadRecording{}); errors.As(err, &bad) {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	if err != nil {
		return nil, s.answer(err, "recording")
	}
	text := got.Named(digest)
	docs, faults := document.Parse("", []byte(text))
	if len(faults) > 0 {
		return nil, refused(faults)
	}
	d := docs[0]
	numbers, changes, err := s.Store.PutAll(ctx, who(ctx), []store.Draft{{Kind: d.Kind, Name: d.Name, Digest: d.Digest, Text: d.Text}})
	if err != nil {
		return nil, s.answer(err, strings.ToLower(d.Kind)+" "+d.Name)
	}
	stored := storedAs(d, numbers[0], changes[0])
	return &stored, nil
}
