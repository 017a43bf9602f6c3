// Package record is what a soak's clients write down: one line for each answer they got. The witness
// reads it, and knows nothing else of the clients.
package record

import "time"

// Line is one answer to one hand-in. An attempt is handed in again under its key until one is 202.
type Line struct {
	Key     string    `json:"key"`
	Person  uint64    `json:"person"`
	Status  int       `json:"status"` // 0: no answer
	Attempt uint64    `json:"attempt,omitempty"`
	Begun   time.Time `json:"begun"` // the first try with the key
	At      time.Time `json:"at"`
	Kind    string    `json:"kind,omitempty"`  // of a problem
	After   string    `json:"after,omitempty"` // its Retry-After
}
