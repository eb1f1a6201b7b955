// Package wire holds the messages of the HTTP interface: what the service answers and
// what its clients send. Both know it, and neither knows the other; it knows values of the
// core alone. The JSON names, and the words in the tags doc, are the interface's own
// description.
package wire
