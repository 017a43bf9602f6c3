// Package outbox sends the mail that the store keeps for sending: with SMTP, from one table, by any number of
// processes.
//
// A letter is claimed for a quarter of a minute, sent, and noted as sent before the next one; it is tried again with
// growing
// pauses for three days. A process that dies between sending and noting makes one letter go out twice, both times with
// the same Message-ID. What is written, and to whom, is decided by those who put letters into the store; the texts of
// links are made here.
package outbox
