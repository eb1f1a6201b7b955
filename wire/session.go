package wire

// Link signs the console in once.
type Link struct {
	Path    string `json:"path" doc:"Path and query to open in a browser."`
	Minutes int    `json:"minutes" doc:"How long it can be used."`
}

// Session says who is signed in.
type Session struct {
	Name    string `json:"name" doc:"Name of the token that signed in."`
	Version string `json:"version" doc:"Version of the service."`
}
