package outbox

// Pause is pause, for its test.
var Pause = pause
