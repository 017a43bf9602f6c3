package api

import (
	"fmt"
	"net"
	"net/netip"
	"strings"

	"github.com/gofiber/fiber/v3"
)

// proxies are the networks whose word on where a request comes from is taken.
type proxies []netip.Prefix

// parseProxies reads networks, 10.0.0.0/8 say, or single addresses.
func parseProxies(list []string) (proxies, error) {
	var out proxies
	for _, text := range list {
		if p, err := netip.ParsePrefix(text); err == nil {
			out = append(out, p.Masked())
			continue
		}
		a, err := netip.ParseAddr(text)
		if err != nil {
			return nil, fmt.Errorf("%q is not a network of a proxy; write 10.0.0.0/8 or 127.0.0.1", text)
		}
		out = append(out, netip.PrefixFrom(a, a.BitLen()))
	}
	return out, nil
}

func (p proxies) trusts(a netip.Addr) bool {
	for _, network := range p {
		if network.Contains(a.Unmap()) {
			return true
		}
	}
	return false
}

// client finds who a request comes from. Each proxy adds at the right the address that it
// saw, so the client is the rightmost that is no trusted proxy; what stands left of it
// anybody can have written. Where two headers disagree, neither is believed.
func (p proxies) client(c fiber.Ctx) string {
	peer := addressOf(c.RequestCtx().RemoteAddr())
	if !p.trusts(peer) {
		return peer.String()
	}
	plain, standard := p.rightmost(hops(c.Get("X-Forwarded-For"))), p.rightmost(forwarded(c.Get("Forwarded")))
	switch {
	case plain.IsValid() && (!standard.IsValid() || standard == plain):
		return plain.String()
	case standard.IsValid() && !plain.IsValid():
		return standard.String()
	}
	return peer.String()
}

func (p proxies) rightmost(list []string) netip.Addr {
	for i := len(list) - 1; i >= 0; i-- {
		a := parseHop(list[i])
		if !a.IsValid() || !p.trusts(a) {
			return a
		}
	}
	return netip.Addr{}
}

func addressOf(a net.Addr) netip.Addr {
	if t, ok := a.(*net.TCPAddr); ok {
		return t.AddrPort().Addr().Unmap()
	}
	return netip.IPv6Unspecified()
}

func hops(header string) []string {
	if header == "" {
		return nil
	}
	return strings.Split(header, ",")
}

// forwarded lists the for= of each element of a Forwarded header (RFC 7239).
func forwarded(header string) []string {
	var out []string
	for _, element := range hops(header) {
		hop := ""
		for _, pair := range strings.Split(element, ";") {
			if key, value, ok := strings.Cut(strings.TrimSpace(pair), "="); ok && strings.EqualFold(key, "for") {
				hop = strings.Trim(value, `"`)
			}
		}
		out = append(out, hop)
	}
	return out
}

// parseHop reads an address with a port or without; an invalid one where it is not one.
func parseHop(text string) netip.Addr {
	text = strings.TrimSpace(text)
	if a, err := netip.ParseAddrPort(text); err == nil {
		return a.Addr().Unmap()
	}
	a, err := netip.ParseAddr(strings.Trim(text, "[]"))
	if err != nil {
		return netip.Addr{}
	}
	return a.Unmap()
}

// host is the name that a browser came to: a trusted proxy says it where it does not pass
// it on as it is.
func (p proxies) host(c fiber.Ctx) string {
	if given := c.Get("X-Forwarded-Host"); given != "" && p.trusts(addressOf(c.RequestCtx().RemoteAddr())) {
		return strings.TrimSpace(strings.Split(given, ",")[0])
	}
	return c.Host()
}
