"""Which settings each section of a .network file knows. Source: systemd 252, systemd.network(5) and the words its reader looks up; a test asks the
reader for every one of them.
"""

from __future__ import annotations

from collections.abc import Mapping

_WORDS = """
Address: AddPrefixRoute Address AutoJoin Broadcast DuplicateAddressDetection HomeAddress Label ManageTemporaryAddress NetLabel Peer
  PreferredLifetime PrefixRoute RouteMetric Scope
BFIFO: Handle LimitBytes Parent
Bridge: AllowPortToBeRoot Cost FastLeave HairPin Isolated Learning MulticastFlood MulticastRouter MulticastToUnicast NeighborSuppression
  Priority ProxyARP ProxyARPWiFi UnicastFlood UseBPDU
BridgeFDB: AssociatedWith Destination MACAddress OutgoingInterface VLANId VNI
BridgeMDB: MulticastGroupAddress VLANId
BridgeVLAN: EgressUntagged PVID VLAN
CAKE: AutoRateIngress Bandwidth CompensationMode FirewallMark FlowIsolationMode Handle MPUBytes NAT OverheadBytes Parent
  PriorityQueueingPreset SplitGSO UseRawPacketSize Wash
CAN: BitRate BusErrorReporting ClassicDataLengthCode DataBitRate DataPhaseBufferSegment1 DataPhaseBufferSegment2 DataPropagationSegment
  DataSamplePoint DataSyncJumpWidth DataTimeQuantaNSec FDMode FDNonISO ListenOnly Loopback OneShot PhaseBufferSegment1 PhaseBufferSegment2
  PresumeACK PropagationSegment RestartSec SamplePoint SyncJumpWidth Termination TimeQuantaNSec TripleSampling
ControlledDelay: CEThresholdSec ECN Handle IntervalSec PacketLimit Parent TargetSec
DHCP: Anonymize ClientIdentifier CriticalConnection DUIDRawData DUIDType ForceDHCPv6PDOtherInformation Hostname IAID ListenPort RapidCommit
  RequestBroadcast RouteMetric RouteTable SendHostname UseDNS UseDomainName UseDomains UseHostname UseMTU UseNTP UseRoutes UseTimezone
  UserClass VendorClassIdentifier
DHCPPrefixDelegation: Announce Assign ManageTemporaryAddress NetLabel RouteMetric SubnetId Token UplinkInterface
DHCPServer: BindToInterface BootFilename BootServerAddress BootServerName DNS DefaultLeaseTimeSec EmitDNS EmitLPR EmitNTP EmitPOP3
  EmitRouter EmitSIP EmitSMTP EmitTimezone LPR MaxLeaseTimeSec NTP POP3 PoolOffset PoolSize RelayAgentCircuitId RelayAgentRemoteId
  RelayTarget Router SIP SMTP SendOption SendVendorOption ServerAddress Timezone UplinkInterface
DHCPServerStaticLease: Address MACAddress
DHCPv4: AllowList Anonymize BlackList ClientIdentifier CriticalConnection DUIDRawData DUIDType DenyList FallbackLeaseLifetimeSec Hostname
  IAID IPServiceType Label ListenPort MUDURL MaxAttempts NetLabel RequestBroadcast RequestOptions RouteMTUBytes RouteMetric RouteTable
  RoutesToDNS RoutesToNTP SendDecline SendHostname SendOption SendRelease SendVendorOption Use6RD UseDNS UseDomainName UseDomains UseGateway
  UseHostname UseMTU UseNTP UseRoutes UseSIP UseTimezone UserClass VendorClassIdentifier
DHCPv6: DUIDRawData DUIDType ForceDHCPv6PDOtherInformation IAID MUDURL NetLabel PrefixDelegationHint RapidCommit RequestOptions RouteMetric
  SendOption SendVendorOption UseAddress UseDNS UseDelegatedPrefix UseDomains UseHostname UseNTP UserClass VendorClass WithoutRA
DeficitRoundRobinScheduler: Handle Parent
DeficitRoundRobinSchedulerClass: ClassId Parent QuantumBytes
EnhancedTransmissionSelection: Bands Handle Parent PriorityMap QuantumBytes StrictBands
FairQueueing: Buckets CEThresholdSec FlowLimit InitialQuantum InitialQuantumBytes MaximumRate OrphanMask Pacing PacketLimit Quantum
  QuantumBytes
FairQueueingControlledDelay: CEThresholdSec ECN Flows Handle IntervalSec MemoryLimit MemoryLimitBytes PacketLimit Parent Quantum
  QuantumBytes TargetSec
FlowQueuePIE: Handle PacketLimit Parent
GenericRandomEarlyDetection: DefaultVirtualQueue GenericRIO Handle Parent VirtualQueues
HeavyHitterFilter: Handle PacketLimit Parent
HierarchyTokenBucket: DefaultClass Handle Parent RateToQuantum
HierarchyTokenBucketClass: BufferBytes CeilBufferBytes CeilRate ClassId MTUBytes OverheadBytes Parent Priority QuantumBytes Rate
IPv6AcceptRA: BlackList DHCPv6Client DenyList NetLabel PrefixAllowList PrefixDenyList RouteAllowList RouteDenyList RouteMetric RouteTable
  RouterAllowList RouterDenyList Token UseAutonomousPrefix UseDNS UseDomains UseGateway UseMTU UseOnLinkPrefix UseRoutePrefix
IPv6AddressLabel: Label Prefix
IPv6Prefix: AddressAutoconfiguration Assign OnLink PreferredLifetimeSec Prefix RouteMetric Token ValidLifetimeSec
IPv6PrefixDelegation: DNS DNSLifetimeSec Domains EmitDNS EmitDomains Managed OtherInformation RouterLifetimeSec RouterPreference
IPv6RoutePrefix: LifetimeSec Route
IPv6SendRA: DNS DNSLifetimeSec Domains EmitDNS EmitDomains Managed OtherInformation RouterLifetimeSec RouterPreference UplinkInterface
LLDP: MUDURL
Link: ARP ActivationPolicy AllMulticast Group MACAddress MTUBytes Multicast Promiscuous RequiredFamilyForOnline RequiredForOnline Unmanaged
Match: Architecture BSSID Credential Driver Firmware Host KernelCommandLine KernelVersion Kind MACAddress Name Path PermanentMACAddress
  Property SSID Type Virtualization WLANInterfaceType
Neighbor: Address LinkLayerAddress MACAddress
Network: ActiveSlave Address BatmanAdvanced BindCarrier Bond Bridge ConfigureWithoutCarrier DHCP DHCPPrefixDelegation DHCPServer
  DHCPv6PrefixDelegation DNS DNSDefaultRoute DNSOverTLS DNSSEC DNSSECNegativeTrustAnchors DefaultRouteOnDevice Description Domains EmitLLDP
  Gateway IPForward IPMasquerade IPVLAN IPVTAP IPoIB IPv4AcceptLocal IPv4LL IPv4LLRoute IPv4LLStartAddress IPv4ProxyARP IPv4RouteLocalnet
  IPv6AcceptRA IPv6AcceptRouterAdvertisements IPv6DuplicateAddressDetection IPv6HopLimit IPv6LinkLocalAddressGenerationMode IPv6MTUBytes
  IPv6PrefixDelegation IPv6PrivacyExtensions IPv6ProxyNDP IPv6ProxyNDPAddress IPv6SendRA IPv6StableSecretAddress IPv6Token IgnoreCarrierLoss
  KeepConfiguration KeepMaster L2TP LLDP LLMNR LinkLocalAddressing MACVLAN MACVTAP MACsec MulticastDNS NTP PrimarySlave ProxyARP Tunnel VLAN
  VRF VXLAN Xfrm
NetworkEmulator: DelayJitterSec DelaySec DuplicateRate Handle LossRate PacketLimit Parent
NextHop: Blackhole Family Gateway Group Id OnLink
PFIFO: Handle PacketLimit Parent
PFIFOFast: Handle Parent
PFIFOHeadDrop: Handle PacketLimit Parent
QDisc: Handle Parent
QuickFairQueueing: Handle Parent
QuickFairQueueingClass: ClassId MaxPacketBytes Parent Weight
Route: Destination FastOpenNoCookie Gateway GatewayOnLink GatewayOnlink InitialAdvertisedReceiveWindow InitialCongestionWindow MTUBytes
  Metric MultiPathRoute NextHop PreferredSource Protocol QuickAck Source TCPAdvertisedMaximumSegmentSize TCPCongestionControlAlgorithm
  TTLPropagate Table Type
RoutingPolicyRule: DestinationPort Family FirewallMark From IPProtocol IncomingInterface InvertRule OutgoingInterface Priority SourcePort
  SuppressInterfaceGroup SuppressPrefixLength Table To Type TypeOfService User
SR-IOV: LinkState MACAddress MACSpoofCheck QualityOfService QueryReceiveSideScaling Trust VLANId VLANProtocol VirtualFunction
StochasticFairBlue: Handle PacketLimit Parent
StochasticFairnessQueueing: Handle Parent PerturbPeriodSec
TokenBucketFilter: Burst BurstBytes Handle LatencySec LimitBytes LimitSize MPUBytes MTUBytes Parent PeakRate Rate
TrivialLinkEqualizer: Handle Id Parent
"""


def _sections() -> Mapping[str, frozenset[str]]:
    words = _WORDS.replace("\n  ", " ").strip().split("\n")
    return {section: frozenset(names.split()) for section, _, names in (line.partition(": ") for line in words)}


KEYS = _sections()
