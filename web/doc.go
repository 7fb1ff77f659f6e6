// Package web is Zarf's pages: Gin routes, templates, htmx answers, the event
// stream, and the pictures and volumes that the browser shows. It holds no
// rules of the job: values are parsed and checked by the catalogue, work is
// done by studio.
package web
