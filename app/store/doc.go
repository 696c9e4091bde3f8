// Package store opens the database and has what concerns all that is kept in it: launching and purging a quiz, moving,
// upgrades, backups, examination. What is kept is owned by the packages below it, in this order: documents, people,
// attempts, deliveries, tallies, responses; each knows those before it. No other package knows the database.
package store
