package app_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/exchange/mllp"
)

// issued makes a certificate, signed by an authority or by itself, as PEM.
func issued(t *testing.T, name string, by *x509.Certificate, byKey *ecdsa.PrivateKey) (cert, key string, c *x509.Certificate, k *ecdsa.PrivateKey) {
	t.Helper()
	k, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	x := &x509.Certificate{SerialNumber: big.NewInt(time.Now().UnixNano()), Subject: pkix.Name{CommonName: name}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.ParseIP("127.0.0.1")}, IsCA: by == nil, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth, x509.ExtKeyUsageClientAuth}}
	if by == nil {
		by, byKey = x, k
	}
	der, err := x509.CreateCertificate(rand.Reader, x, by, &k.PublicKey, byKey)
	require.NoError(t, err)
	c, err = x509.ParseCertificate(der)
	require.NoError(t, err)
	raw, err := x509.MarshalPKCS8PrivateKey(k)
	require.NoError(t, err)
	return string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})), string(pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: raw})), c, k
}

// An administrator sets the laboratory up with TLS and a certificate of ours; a test message
// shows that it works, orders go that way with the account and the physician's NPI, and the key
// is given out to nobody.
func TestALaboratoryIsSetUpOnAScreen(t *testing.T) {
	c := open(t)
	admin := c.who[act.Admin]
	authority, _, ca, caKey := issued(t, "authority", nil, nil)
	serverCert, serverKey, _, _ := issued(t, "laboratory", ca, caKey)
	ourCert, ourKey, _, _ := issued(t, "practice", ca, caKey)
	pair, err := tls.X509KeyPair([]byte(serverCert), []byte(serverKey))
	require.NoError(t, err)
	pool := x509.NewCertPool()
	pool.AddCert(ca)
	ln, err := tls.Listen("tcp", "127.0.0.1:0", &tls.Config{Certificates: []tls.Certificate{pair}, ClientAuth: tls.RequireAndVerifyClientCert, ClientCAs: pool, MinVersion: tls.VersionTLS12})
	require.NoError(t, err)
	t.Cleanup(func() { ln.Close() })
	got := make(chan string, 8)
	go func() {
		s := mllp.Server{Limit: 1 << 20, Handle: func(_ string, m []byte) []byte { got <- string(m); return []byte(accept("AA", "fine")(string(m))) }}
		_ = s.Serve(ln)
	}()
	v, err := c.app.Order.Connections(ctx, admin)
	require.NoError(t, err)
	require.Contains(t, v.Connections[0].Address, "127.0.0.1:")
	set := func(change func(*orders.LinkView)) error {
		now, err := c.app.Order.Connections(ctx, admin)
		require.NoError(t, err)
		l := orders.LinkView{Address: ln.Addr().String(), Account: "A-77", TLS: true, Authority: authority, Certificate: ourCert, Key: ourKey, Version: now.Laboratory.Version}
		change(&l)
		return c.app.Order.SetLaboratory(ctx, admin, l)
	}
	for name, change := range map[string]func(*orders.LinkView){"no port": func(l *orders.LinkView) { l.Address = "lab" }, "another key": func(l *orders.LinkView) { l.Key = serverKey }, "no key": func(l *orders.LinkView) { l.Key = "" },
		"no certificate": func(l *orders.LinkView) { l.Certificate = "x" }, "no authority": func(l *orders.LinkView) { l.Authority = "x" }, "a certificate in the open": func(l *orders.LinkView) { l.TLS = false }} {
		assert.Equal(t, act.Invalid, kind(t, set(change)), name)
	}
	require.NoError(t, set(func(l *orders.LinkView) { l.Certificate, l.Key = "", "" }))
	tried, err := c.app.Order.TryLaboratory(ctx, admin)
	require.NoError(t, err)
	require.False(t, tried.Reached, "it asks for a certificate of ours: %s", tried.Says)
	require.NoError(t, set(func(*orders.LinkView) {}))
	require.Equal(t, act.Conflict, kind(t, set(func(l *orders.LinkView) { l.Version = 1 })), "somebody changed it meanwhile")
	require.NoError(t, set(func(l *orders.LinkView) { l.Key = "" }), "the key stays where none is given")
	tried, err = c.app.Order.TryLaboratory(ctx, admin)
	require.NoError(t, err)
	require.True(t, tried.Reached, tried.Says)
	require.Contains(t, <-got, "NMQ^N01")
	v, err = c.app.Order.Connections(ctx, admin)
	require.NoError(t, err)
	require.True(t, v.Laboratory.HasKey)
	require.Empty(t, v.Laboratory.Key)
	require.NotEmpty(t, v.Laboratory.Until)
	require.Zero(t, c.count("SELECT count(*) FROM setting WHERE value LIKE '%PRIVATE KEY%'"), "the key cannot be read from the data")

	require.Equal(t, act.Invalid, kind(t, c.app.Session.ConfirmNPI(ctx, c.doctor(), "1234567890", password)))
	require.Equal(t, act.Unproven, kind(t, c.app.Session.ConfirmNPI(ctx, c.doctor(), "1234567893", "guess")))
	require.NoError(t, c.app.Session.ConfirmNPI(ctx, c.doctor(), "1234567893", password))
	c.order("K")
	v, err = c.app.Order.Connections(ctx, admin)
	require.NoError(t, err)
	require.Equal(t, 1, v.Connections[0].Waiting)
	c.step()
	m := <-got
	require.Contains(t, m, "|1234567893^")
	require.Contains(t, m, "NPI&2.16.840.1.113883.4.6&ISO")
	require.Contains(t, m, "|Skerrow Island Family Practice^^^^^^^^^A-77\r")
	v, err = c.app.Order.Connections(ctx, admin)
	require.NoError(t, err)
	require.Zero(t, v.Connections[0].Waiting)
	require.NotEmpty(t, v.Connections[0].LastContact)
	require.Empty(t, c.verify())

	ln.Close()
	tried, err = c.app.Order.TryLaboratory(ctx, admin)
	require.NoError(t, err)
	require.False(t, tried.Reached)
	require.True(t, strings.HasPrefix(tried.Says, "Nobody answered: "), tried.Says)
}
