"""What lies on each machine of a cluster is what its programs take."""

import subprocess

import pytest

from vigilant.server.launch import galera, hosts, serve

MACHINES = """
name = "ledger.lanternfall.example"
front = "10.0.0.5"
nodes = ["10.0.0.1", "10.0.0.2", "10.0.0.3"]
redis = ["10.0.0.1", "10.0.0.2"]
sentinels = ["10.0.0.1", "10.0.0.2", "10.0.0.3"]
web = ["10.0.0.11", "10.0.0.12"]
workers = ["10.0.0.12", "10.0.0.22"]
outside = {"10.0.0.1" = "a.example", "10.0.0.2" = "b.example", "10.0.0.3" = "c.example", "10.0.0.5" = "d.example", "10.0.0.11" = "e.example", "10.0.0.12" = "192.0.2.7", "10.0.0.22" = "g.example"}
"""


@pytest.fixture(scope="module")
def written(tmp_path_factory):
    folder = tmp_path_factory.mktemp("cluster")
    (folder / "machines.toml").write_text(MACHINES)
    assert serve.main(["cluster", str(folder / "machines.toml"), "--to", str(folder / "to")]) == 0
    return folder / "to"


def test_programs_take_their_files(written):
    for host in ("10.0.0.11", "10.0.0.12", "10.0.0.22"):
        looked = subprocess.run(
            ["/usr/sbin/haproxy", "-c", "-L", host, "-f", written / host / "etc/haproxy/haproxy.cfg"],
            capture_output=True,
            text=True,
        )
        assert (looked.returncode, "Warnings" in looked.stderr) == (0, False), looked.stderr
        units = sorted((written / host / "etc/systemd/system").glob("vigilant*"))
        looked = subprocess.run(["systemd-analyze", "verify", *units], capture_output=True, text=True)
        faults = [line for line in looked.stderr.splitlines() if "vigilant" in line and "haproxy.service" not in line]
        assert faults == []
    nodes = ["10.0.0.1", "10.0.0.2", "10.0.0.3"]
    for node in nodes:
        cnf = written / node / "etc/mysql/mariadb.conf.d/60-vigilant.cnf"
        looked = subprocess.run(
            ["mariadbd", f"--defaults-file={cnf}", "--help", "--verbose"], capture_output=True, text=True
        )
        assert looked.returncode == 0, looked.stderr
        lines = [line.split(None, 1) for line in looked.stdout.splitlines()]
        told = dict(line for line in lines if len(line) == 2)
        rehearsed = galera.wsrep(node, nodes, node, nodes)
        assert told["wsrep-cluster-address"] == rehearsed["wsrep_cluster_address"]
        assert told["wsrep-sst-donor"] == ",".join([*(other for other in nodes[::-1] if other != node), ""])
        assert (told["wsrep-node-address"], told["bind-address"], told["innodb-autoinc-lock-mode"]) == (node, node, "2")


def test_each_machine_does_its_part_and_no_other(written):
    def target(host):
        return (written / host / "etc/systemd/system/vigilant.target").read_text()

    assert "vigilant-web@8571.service" in target("10.0.0.11")
    assert "vigilant-worker" not in target("10.0.0.11")
    assert "vigilant-web" not in target("10.0.0.22")
    assert "vigilant-web@8571.service vigilant-web@8572.service vigilant-worker@quick.service" in target("10.0.0.12")
    assert "--host 10.0.0.11 --port %i" in (written / "10.0.0.11/etc/systemd/system/vigilant-web@.service").read_text()
    nginx = (written / "10.0.0.5/etc/nginx/conf.d/vigilant.conf").read_text()
    assert [f"server {web}:{port}" in nginx for web in ("10.0.0.11", "10.0.0.12") for port in (8571, 8572)] == [
        True
    ] * 4
    first, second = (
        (written / node / "etc/redis/redis-vigilant.conf").read_text() for node in ("10.0.0.1", "10.0.0.2")
    )
    assert ("replicaof" in first, "replicaof 10.0.0.1 6381" in second) == (False, True)


def test_settings_of_all_hosts_are_taken_share_their_secrets_and_are_nobody_elses(written, monkeypatch):
    told = [serve.read_settings(written / host / serve.SETTINGS) for host in ("10.0.0.11", "10.0.0.22")]
    assert told[0] == told[1]
    assert told[0]["VIGILANT_DB_WAIT"] == "1"
    for name, value in told[0].items():
        monkeypatch.setenv(name, value)
    from vigilant.server import configuration

    found = configuration.read()
    assert found.redis.count("sentinel://") == 3
    for place in (
        "10.0.0.11/etc/vigilant/server.env",
        "10.0.0.11/etc/haproxy/asks.cnf",
        "10.0.0.1/etc/redis/sentinel.conf",
        "secrets.env",
    ):
        assert (written / place).stat().st_mode & 0o077 == 0, place
    before = (written / "secrets.env").read_text()
    assert serve.main(["cluster", str(written.parent / "machines.toml"), "--to", str(written)]) == 0
    assert (written / "secrets.env").read_text() == before


def test_all_machines_are_in_one_tunnel_by_keys_that_fit_each_other(written):
    def parts(host):
        path = written / host / hosts.TUNNEL
        assert path.stat().st_mode & 0o077 == 0
        subprocess.run(["wg-quick", "strip", path], check=True, capture_output=True)
        told = [[line.split(" = ") for line in part.splitlines()[1:]] for part in path.read_text().split("[")[1:]]
        return [dict(line for line in part if len(line) == 2) for part in told]

    machines = [path.name for path in written.iterdir() if path.is_dir()]
    own = {host: parts(host)[0] for host in machines}
    assert len({of["PrivateKey"] for of in own.values()}) == len(machines) == 7
    public = {
        f"{host}/32": subprocess.check_output(["wg", "pubkey"], input=of["PrivateKey"], text=True).strip()
        for host, of in own.items()
    }
    for host in machines:
        peers = {peer["AllowedIPs"]: peer for peer in parts(host)[1:]}
        assert {at: peer["PublicKey"] for at, peer in peers.items()} == {
            at: key for at, key in public.items() if at != own[host]["Address"]
        }
    assert parts("10.0.0.1")[-2]["Endpoint"] == "192.0.2.7:51820"


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ('outside = {"10.0.0.1" = "a.example"}', "every machine and no other; see 10.0.0.11, 10.0.0.12"),
        (
            'front = "front.example"\noutside = {"front.example" = "d.example", "10.0.0.1" = "a", "10.0.0.2" = "b", "10.0.0.3" = "c", "10.0.0.11" = "e", "10.0.0.12" = "f", "10.0.0.22" = "g"}',
            "front.example is no IPv4 address within the tunnel",
        ),
        ('nodes = ["10.0.0.1"]', "nodes: 3 or 5 are wanted, an odd number, so that most of them can be told; got 1"),
        (
            'nodes = ["a", "b", "c", "d"]',
            "nodes: 3 or 5 are wanted, an odd number, so that most of them can be told; got 4",
        ),
        ('redis = ["10.0.0.1", "10.0.0.1"]', "redis: each machine once"),
        ('front = "10.0.0.5; include /etc/shadow"', "front: a host's name or IPv4 address is wanted"),
        ('front = "10.0.0.5\\nuser root"', "front: a host's name or IPv4 address is wanted"),
        ("webs = []", "webs: Extra inputs are not permitted"),
        ("name = ", "Invalid value"),
    ],
)
def test_machines_that_cannot_be_are_named(tmp_path, capsys, line, said):
    keys = {one.split(" ")[0] for one in line.splitlines()} | {"outside"}
    lines = [kept for kept in MACHINES.splitlines() if kept.split(" ")[0] not in keys]
    path = tmp_path / "machines.toml"
    path.write_text("\n".join([*lines, line]))
    assert serve.main(["cluster", str(path), "--to", str(tmp_path / "to")]) == 2
    assert said in capsys.readouterr().err
    assert not (tmp_path / "to").exists()
    with pytest.raises(serve.ServeFailed):
        hosts.read(path)
