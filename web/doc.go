// Package web is Zarf's pages: Gin routes, templates, htmx answers, the event
// stream, and the pictures and volumes that the browser shows. It holds no
// rules of the job: values are parsed and checked by the catalogue, work is
// done by studio.
//
// Each part of the site is a room in a package of its own, which registers with
// package desk: stage, score, takes, look and handover are the stations of a
// shot's workspace, library is the list of shots and the queue. Desk is what
// they share: the server with its guards, the workspace's data, answers and
// templates. This package links the rooms and tests them through a browser.
package web
