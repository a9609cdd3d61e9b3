# Carries fabric files, and what else names rules, keys, values and columns, over to the words of `docs/words.md`:
#
#     sed -E -i -f docs/renamed.sed fabric.toml hosts/*.toml
#
# Ports keep their names. Where a word was dropped for good, a comment says so.

# ---- rules
s/(^|[^A-Za-z0-9-])lag-member-mix([^A-Za-z0-9-]|$)/\1lag-member-clash\2/g
s/(^|[^A-Za-z0-9-])lag-member-settings([^A-Za-z0-9-]|$)/\1lag-member-settings-clash\2/g
s/(^|[^A-Za-z0-9-])lag-min-links([^A-Za-z0-9-]|$)/\1lag-min-members\2/g
s/(^|[^A-Za-z0-9-])pair-group-clash([^A-Za-z0-9-]|$)/\1pair-group-reused\2/g
s/(^|[^A-Za-z0-9-])pair-group-settings([^A-Za-z0-9-]|$)/\1pair-group-clash\2/g
s/(^|[^A-Za-z0-9-])pair-peer-link-settings([^A-Za-z0-9-]|$)/\1pair-peer-link-clash\2/g
s/(^|[^A-Za-z0-9-])pair-no-escape([^A-Za-z0-9-]|$)/\1pair-escape-missing\2/g
s/(^|[^A-Za-z0-9-])stack-domain-clash([^A-Za-z0-9-]|$)/\1stack-id-clash\2/g
s/(^|[^A-Za-z0-9-])stack-no-split-detection([^A-Za-z0-9-]|$)/\1stack-split-detection-missing\2/g
s/(^|[^A-Za-z0-9-])stack-uplink-on-one-member([^A-Za-z0-9-]|$)/\1stack-uplink-single-member\2/g
s/(^|[^A-Za-z0-9-])es-vlan-drift-on-es([^A-Za-z0-9-]|$)/\1es-vlan-drift\2/g
s/(^|[^A-Za-z0-9-])es-no-core-isolation([^A-Za-z0-9-]|$)/\1es-core-isolation-missing\2/g
s/(^|[^A-Za-z0-9-])es-one-leaf([^A-Za-z0-9-]|$)/\1es-single-leaf\2/g
s/(^|[^A-Za-z0-9-])underlay-pool-overlap([^A-Za-z0-9-]|$)/\1pool-overlap\2/g
s/(^|[^A-Za-z0-9-])underlay-pool-exhausted([^A-Za-z0-9-]|$)/\1pool-exhausted\2/g
s/(^|[^A-Za-z0-9-])underlay-loopback-not-advertised([^A-Za-z0-9-]|$)/\1underlay-loopback-unadvertised\2/g
s/(^|[^A-Za-z0-9-])underlay-as-clash([^A-Za-z0-9-]|$)/\1session-as-clash\2/g
s/(^|[^A-Za-z0-9-])underlay-session-one-sided([^A-Za-z0-9-]|$)/\1session-one-sided\2/g
s/(^|[^A-Za-z0-9-])underlay-policy-missing([^A-Za-z0-9-]|$)/\1session-policy-missing\2/g
s/(^|[^A-Za-z0-9-])overlay-source-clash([^A-Za-z0-9-]|$)/\1session-source-clash\2/g
s/(^|[^A-Za-z0-9-])overlay-multihop-missing([^A-Za-z0-9-]|$)/\1session-multihop-missing\2/g
s/(^|[^A-Za-z0-9-])overlay-family-inactive([^A-Za-z0-9-]|$)/\1session-family-one-sided\2/g
s/(^|[^A-Za-z0-9-])overlay-session-unreachable([^A-Za-z0-9-]|$)/\1session-unreachable\2/g
s/(^|[^A-Za-z0-9-])overlay-communities-dropped([^A-Za-z0-9-]|$)/\1session-communities-dropped\2/g
s/(^|[^A-Za-z0-9-])overlay-client-missing([^A-Za-z0-9-]|$)/\1overlay-reflector-client-missing\2/g
s/(^|[^A-Za-z0-9-])segment-no-vtep([^A-Za-z0-9-]|$)/\1segment-vtep-missing\2/g
s/(^|[^A-Za-z0-9-])segment-not-on-leaf([^A-Za-z0-9-]|$)/\1segment-leaf-missing\2/g
s/(^|[^A-Za-z0-9-])segment-vlan-not-defined([^A-Za-z0-9-]|$)/\1segment-vlan-missing\2/g
s/(^|[^A-Za-z0-9-])segment-lonely([^A-Za-z0-9-]|$)/\1segment-single-vtep\2/g
s/(^|[^A-Za-z0-9-])segment-group-invalid([^A-Za-z0-9-]|$)/\1segment-multicast-group-invalid\2/g
s/(^|[^A-Za-z0-9-])segment-group-clash([^A-Za-z0-9-]|$)/\1segment-multicast-group-clash\2/g
s/(^|[^A-Za-z0-9-])segment-group-reused([^A-Za-z0-9-]|$)/\1segment-multicast-group-reused\2/g
s/(^|[^A-Za-z0-9-])segment-gateway-twofold([^A-Za-z0-9-]|$)/\1segment-gateway-kind-clash\2/g
s/(^|[^A-Za-z0-9-])vrf-irb-mix([^A-Za-z0-9-]|$)/\1vrf-irb-clash\2/g
s/(^|[^A-Za-z0-9-])site-no-path-within-bound([^A-Za-z0-9-]|$)/\1site-path-too-slow\2/g
s/(^|[^A-Za-z0-9-])uplink-same-leaf([^A-Za-z0-9-]|$)/\1uplink-single-leaf\2/g
s/(^|[^A-Za-z0-9-])endpoint-mask-clash([^A-Za-z0-9-]|$)/\1endpoint-prefix-length-clash\2/g
s/(^|[^A-Za-z0-9-])endpoint-pool-outside-subnet([^A-Za-z0-9-]|$)/\1dhcp-outside-subnet\2/g
s/(^|[^A-Za-z0-9-])endpoint-pool-covers-gateway([^A-Za-z0-9-]|$)/\1dhcp-covers-gateway\2/g
s/(^|[^A-Za-z0-9-])endpoint-pool-router-wrong([^A-Za-z0-9-]|$)/\1dhcp-router-wrong\2/g
s/(^|[^A-Za-z0-9-])endpoint-relay-missing([^A-Za-z0-9-]|$)/\1dhcp-relay-missing\2/g

# ---- stacks: `domain` and split detection by LACP; a rule about neighbours of one domain is gone
/^[[:space:]]*\[\[stack\]\]/,/^[[:space:]]*\[\[?[a-z]/ {
  /^[[:space:]]*\[\[?(pair|lag)/! s/(^|[{,[:space:]])domain( *=)/\1stack_id\2/g
  s/(split_detection *= *)"lacp"/\1"management"/
}

# ---- flooding
s/"head-end"/"ingress"/g
s/(replication *= *)"group"/\1"multicast"/g
s/(^|[{,[:space:]])group( *= *")/\1multicast_group\2/g

# ---- DHCP
s/^([[:space:]]*)\[\[scope\]\]/\1[[dhcp]]/
/^[[:space:]]*\[\[(scope|dhcp)\]\]/,/^[[:space:]]*\[\[?[a-z]/ s/(^|[{,[:space:]])exclude( *=)/\1except\2/g

# ---- Ethernet segments
s/(^|[^a-z_])segment_id([^a-z_]|$)/\1ethernet_segment\2/g
s/(^|[^a-z_])segment_(mode|preference)([^a-z_]|$)/\1ethernet_segment_\2\3/g

# ---- hash policies
s/"MAC addresses"/"mac-addresses"/g
s/"addresses and ports"/"addresses-and-ports"/g

# ---- what may be lost
s/"any one cable or switch"/"any-cable-or-switch"/g
s/"any one (cable|switch)"/"any-\1"/g

# ---- what sheets and walks say, in scripts that read them
/^#:/ {
  s/head-end/ingress/g
  s/neighbor/neighbour/g
  s/the keys differ/the secrets differ/g
  /"run": *"sheet lags/ {
    s/up in part/partial/g
    s/far_end/far/g
    s/standing/state/g
    s/,why/,reason/g
  }
  /"run": *"sheet members/ {
    s/standing by/standby/g
    s/in use/in-use/g
    s/left out([^:]|$)/left-out\1/g
    s/without link/no-link/g
    s/,alone/,individual/g
    s/,standing,/,state,/g
    s/far_port/far/g
    s/,why/,reason/g
  }
  /"run": *"sheet pairs/ {
    s/primary, as it thinks/primary/g
    s/,because/,reason/g
    s/pair,switch/pair,device/g
  }
  /"run": *"sheet stacks/ {
    s/master/lead/g
    s/not there/absent/g
    s/,because/,reason/g
    s/,domain,/,stack_id,/g
    s/stack,member/device,member/g
  }
  /"run": *"sheet ethernet-segments/ {
    s/up in part/partial/g
    s/segment,leaf/ethernet_segment,device/g
    s/,standing,/,state,/g
    s/far_end,why/far,reason/g
  }
  /"run": *"sheet tree/ {
    s/discards/discarding/g
    s/forwards/forwarding/g
    s/,is down/,down/g
    s/root bridge/root-bridge/g
    s/tree,bridge/tree,device/g
    s/far_end,why/far,reason/g
  }
  /"run": *"sheet underlay-routes/ {
    s/no route/no-route/g
    s/its own/own/g
    s/,metric,/,cost,/g
  }
  /"run": *"sheet (addresses|sessions|flood-lists|oversubscription)/ s/(^|[^a-z])switch,/\1device,/g
  /"run": *"sheet sessions/ s/,peer,/,far,/g
  /"run": *"walk/ s/\\"why\\"/\\"reason\\"/g
}
