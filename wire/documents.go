package wire

import (
	"time"
)

// Document is one revision of a document.
type Document struct {
	Kind     string    `json:"kind" doc:"Kind of the document."`
	Name     string    `json:"name" doc:"Name of the document."`
	Revision int       `json:"revision" doc:"Number of the revision, from 1."`
	Digest   string    `json:"digest" doc:"sha256 of the content in canonical form."`
	Stored   time.Time `json:"stored" doc:"When the revision was stored."`
	By       string    `json:"by" doc:"Whose token stored it."`
	Text     string    `json:"text,omitempty" doc:"The document as written; absent in lists."`
}

// Stored says what storing a document did.
type Stored struct {
	Kind     string `json:"kind" doc:"Kind of the document."`
	Name     string `json:"name" doc:"Name of the document."`
	Revision int    `json:"revision" doc:"Its newest revision now."`
	Change   string `json:"change" enum:"new,changed,same" doc:"new, changed or same."`

	From string   `json:"from,omitempty" doc:"Kind of the object that a template was taken out of, where it was no PodTemplate."`
	Left []string `json:"left,omitempty" doc:"Fields of it that were left behind."`
}

// StoredList says what storing a stream of documents did.
type StoredList struct {
	Items  []Stored `json:"items" doc:"What was done, in the order of the stream."`
	Passed []string `json:"passed,omitempty" doc:"Objects of Kubernetes that are no documents and were passed over."`
}

// DocumentPage is a page of documents.
type DocumentPage struct {
	Items []Document `json:"items" doc:"Documents, by kind and name."`
	Next  string     `json:"next,omitempty" doc:"Cursor of the next page; absent on the last."`
}

// RevisionPage is a page of revisions.
type RevisionPage struct {
	Items []Document `json:"items" doc:"Revisions, newest first."`
	Next  int        `json:"next,omitempty" doc:"Cursor of the next page; absent on the last."`
}

// Diff is the difference of two revisions.
type Diff struct {
	Text string `json:"text" doc:"Unified diff; empty when they are the same."`
}

// Recording says what was stored of a file of recorded jobs.
type Recording struct {
	Digest string `json:"digest" doc:"Name of the recording: sha256 of the file."`
	Jobs   int    `json:"jobs" doc:"Jobs in it."`
	Bad    int    `json:"bad" doc:"Rows that were left out."`
}
