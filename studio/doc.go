// Package studio is the work around the core: the library of shots, takes and
// their caches, the queue and the worker that serves it.
//
// A Studio is one data folder at work, locked against a second program. Orders
// go through the queue to a worker, a process of its own (order.go, out.go);
// what the worker tells is booked and passed on to the pages (hear.go, hub.go);
// takes are runs with the values that they were made from, and their states
// follow from content (take.go). The database is the truth about jobs, the
// cache's folders about frames.
package studio
