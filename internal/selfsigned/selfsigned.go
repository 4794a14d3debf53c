// Package selfsigned makes certificates for servers on the loopback that stand in for a host for a
// while: nobody trusts them but a browser that is told their key.
package selfsigned

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/base64"
	"math/big"
	"time"
)

// Certificate makes a certificate for hosts, good for a day. key is the digest of its public key
// (SHA-256, base64), as Chromium's --ignore-certificate-errors-spki-list takes it.
func Certificate(hosts ...string) (pair tls.Certificate, key string, err error) {
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return pair, "", err
	}
	of := &x509.Certificate{
		SerialNumber: big.NewInt(time.Now().UnixNano()),
		Subject:      pkix.Name{CommonName: "a stand-in on this machine"},
		NotBefore:    time.Now().Add(-time.Hour),
		NotAfter:     time.Now().Add(24 * time.Hour),
		DNSNames:     hosts,
	}
	der, err := x509.CreateCertificate(rand.Reader, of, of, &private.PublicKey, private)
	if err != nil {
		return pair, "", err
	}
	public, err := x509.MarshalPKIXPublicKey(&private.PublicKey)
	if err != nil {
		return pair, "", err
	}
	sum := sha256.Sum256(public)
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: private}, base64.StdEncoding.EncodeToString(sum[:]), nil
}
