package page

import (
	"context"
	"net/http"
	"net/url"
	"strings"
)

type headKey struct{}

// Heads answers HEAD as GET, without the body, everywhere (RFC 9110, section 9.3.2). The server leaves the body out
// by itself, since the request that it read is still a HEAD.
func Heads(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodHead {
			r = r.WithContext(context.WithValue(r.Context(), headKey{}, true))
			r.Method = http.MethodGet
		}
		next.ServeHTTP(w, r)
	})
}

// IsHead reports whether a request is a HEAD: no one looks at the answer.
func IsHead(r *http.Request) bool { return r.Context().Value(headKey{}) != nil }

// IsSecure reports whether a browser sees an address over TLS, here or at a proxy in front. Someone who claims it
// falsely only gets cookies that their own browser will not send.
func IsSecure(r *http.Request) bool {
	return r.TLS != nil || r.Header.Get("X-Forwarded-Proto") == "https"
}

// Address is that of the server: as it was told, else as the request has it. The latter is for the requester's own page
// alone: anyone who asks can write what they like into Host.
func Address(r *http.Request, told string) string {
	if told != "" {
		return strings.TrimSuffix(told, "/")
	}
	u := url.URL{Scheme: "http", Host: r.Host}
	if IsSecure(r) {
		u.Scheme = "https"
	}
	return u.String()
}

// HostPrefix begins the name of a cookie that no other host and no unsafe address can have set (RFC 6265bis, section
// 4.1.3.2). It takes a secure address and the path /.
const HostPrefix = "__Host-"
