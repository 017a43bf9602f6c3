// Package outbox sends what the store keeps for sending, by any number of processes: mail with SMTP, and events to web
// hooks with HTTPS.
//
// A letter is claimed for half a minute, sent, and noted as sent before the next one; a call of a web hook is claimed
// for a minute. Both are tried again with growing pauses for three days. A process that dies between sending and
// noting makes one go out twice, both times with the same Message-ID or webhook-id. What is sent, and to whom, is
// decided by those who put it into the store; the texts of letters are made here, and notes that are to reach
// students by mail become letters.
package outbox
