package document

// Changes are edits of one document.
type Changes struct {
	Kind  string `json:"kind"`
	Name  string `json:"name"`
	Edits []Edit `json:"edits"`
}
