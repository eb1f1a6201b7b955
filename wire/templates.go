package wire

import (
	"tachyphor/core/review"
)

// Reviewed is a template with what can be said of it.
type Reviewed struct {
	Name     string           `json:"name" doc:"Name of the template."`
	Revision int              `json:"revision,omitempty" doc:"Newest revision; absent for one that is not stored."`
	File     string           `json:"file,omitempty" doc:"File that it stands in; findings of another are about what stands there."`
	From     string           `json:"from" doc:"Kind of the object that it was taken out of."`
	Left     []string         `json:"left" doc:"Fields that were left behind, for a PodTemplate has no place for them."`
	Text     string           `json:"text,omitempty" doc:"The manifest; absent in lists."`
	Portrait review.Portrait  `json:"portrait" doc:"What an agent of it will be."`
	Findings []review.Finding `json:"findings" doc:"What check has to say, the gravest first. Places are those of the text that was sent, or of the stored one."`
	Uses     []string         `json:"uses" doc:"Scenarios that use it."`
}

// TemplatePage is a page of reviewed templates.
type TemplatePage struct {
	Items []Reviewed `json:"items" doc:"Templates in the order that was asked for."`
	All   int        `json:"all" doc:"How many there are in all, with that text."`
	Next  string     `json:"next,omitempty" doc:"Cursor of the next page; absent on the last."`
}

// ReviewedList is several reviewed templates.
type ReviewedList struct {
	Items []Reviewed `json:"items" doc:"Templates, by name."`
}

// Mended is a text after changes.
type Mended struct {
	Text string `json:"text" doc:"The text with the changes made."`
	Diff string `json:"diff" doc:"Unified difference; empty when nothing changed."`
}

// Draft is a first template.
type Draft struct {
	Text string `json:"text" doc:"The manifest."`
}
