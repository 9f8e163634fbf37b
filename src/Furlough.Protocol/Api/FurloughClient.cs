using System.Globalization;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Security.Cryptography.X509Certificates;
using System.Text.Json;
using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>
/// What people and scripts say to the service. Every call throws <see cref="ServiceException"/> on an error.
/// </summary>
public sealed class FurloughClient : IDisposable
{
    private readonly HttpClient _http;

    /// <param name="address">Address of the service.</param>
    /// <param name="token">A token with the access level that the calls need.</param>
    /// <param name="trusted">Certificates that are trusted instead of those that this system trusts; null for the
    /// system's.</param>
    public FurloughClient(Uri address, string? token, X509Certificate2Collection? trusted = null)
    {
        Address = address;
        var connections = new SocketsHttpHandler();
        if (trusted is not null)
        {
            var policy = new X509ChainPolicy
            {
                TrustMode = X509ChainTrustMode.CustomRootTrust,
                RevocationMode = X509RevocationMode.NoCheck,
            };
            policy.CustomTrustStore.AddRange(trusted);
            connections.SslOptions.CertificateChainPolicy = policy;
        }
        _http = new HttpClient(connections)
        {
            BaseAddress = new Uri(address, "/api/v1/"),
            Timeout = TimeSpan.FromMinutes(5),
        };
        if (token is not null)
            _http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
    }

    /// <summary>Address of the service.</summary>
    public Uri Address { get; }

    /// <inheritdoc/>
    public void Dispose() => _http.Dispose();

    /// <summary>Status of the service.</summary>
    public Task<ServiceStatus> StatusAsync(CancellationToken stop) => GetAsync<ServiceStatus>("status", stop);

    /// <summary>The certificate that the service shows.</summary>
    public Task<CertificateView> CertificateAsync(CancellationToken stop) =>
        GetAsync<CertificateView>("certificate", stop);

    /// <summary>The service makes a new certificate of its own and shows it.</summary>
    public Task<CertificateView> RenewCertificateAsync(CancellationToken stop) =>
        PostAsync<CertificateView>("certificate/renew", null, stop);

    /// <summary>The service shows an office's certificate from now on.</summary>
    public Task<CertificateView> UseCertificateAsync(CertificateRequest request, CancellationToken stop) =>
        PostAsync<CertificateView>("certificate", request, stop);

    /// <summary>Machines; of one room and with one standing, where given.</summary>
    public Task<IReadOnlyList<MachineSummary>> MachinesAsync(string? room, string? standing, CancellationToken stop) =>
        GetAsync<IReadOnlyList<MachineSummary>>(
            $"machines?room={Uri.EscapeDataString(room ?? "")}&standing={Uri.EscapeDataString(standing ?? "")}",
            stop
        );

    /// <summary>One machine.</summary>
    public Task<MachineDetail> MachineAsync(string name, CancellationToken stop) =>
        GetAsync<MachineDetail>("machines/" + Uri.EscapeDataString(name), stop);

    /// <summary>All volumes, those that fill up first, first.</summary>
    public Task<IReadOnlyList<VolumeSpace>> SpaceAsync(CancellationToken stop) =>
        GetAsync<IReadOnlyList<VolumeSpace>>("space", stop);

    /// <summary>What takes the space of a machine.</summary>
    public Task<MachineSpace> SpaceAsync(string name, CancellationToken stop) =>
        GetAsync<MachineSpace>($"machines/{Uri.EscapeDataString(name)}/space", stop);

    /// <summary>Asks a machine for a new survey.</summary>
    public Task<MachineSummary> SurveyAsync(string name, CancellationToken stop) =>
        PostAsync<MachineSummary>($"machines/{Uri.EscapeDataString(name)}/survey", null, stop);

    /// <summary>Says what machines are for; null takes it back.</summary>
    public Task SetTagAsync(IReadOnlyList<string> machines, string? tag, CancellationToken stop) =>
        PostAsync<object?>("machines/tag", new TagRequest(machines, tag), stop);

    /// <summary>What is to be left free, by room.</summary>
    public Task<IReadOnlyList<Reserve>> ReservesAsync(CancellationToken stop) =>
        GetAsync<IReadOnlyList<Reserve>>("reserves", stop);

    /// <summary>
    /// Says what is to be left free on the machines of a room, or (null) of the fleet; two nulls take it back.
    /// </summary>
    public Task SetReserveAsync(string? room, string? system, string? others, CancellationToken stop) =>
        PostAsync<object?>("reserves", new ReserveRequest(room, system, others), stop);

    /// <summary>Invites that may still be used.</summary>
    public Task<IReadOnlyList<OpenInvite>> InvitesAsync(CancellationToken stop) =>
        GetAsync<IReadOnlyList<OpenInvite>>("invites", stop);

    /// <summary>Revokes an invite.</summary>
    public Task RevokeInviteAsync(string id, CancellationToken stop) =>
        SendAsync<object?>(
            () => new HttpRequestMessage(HttpMethod.Delete, "invites/" + Uri.EscapeDataString(id)),
            stop
        );

    /// <summary>Makes an invite.</summary>
    public Task<Invite> InviteAsync(InviteRequest request, CancellationToken stop) =>
        PostAsync<Invite>("invites", request, stop);

    /// <summary>Makes a token.</summary>
    public Task<TokenMade> AddTokenAsync(TokenRequest request, CancellationToken stop) =>
        PostAsync<TokenMade>("tokens", request, stop);

    /// <summary>Begins a sign-in with the office's provider.</summary>
    public Task<DeviceCode> BeginSignInAsync(CancellationToken stop) =>
        PostAsync<DeviceCode>("sign-in/codes", null, stop);

    /// <summary>Asks whether the person has entered the code; <c>sign-in-waiting</c> while they have not.</summary>
    public Task<TokenMade> AnswerSignInAsync(DeviceAnswer answer, CancellationToken stop) =>
        PostAsync<TokenMade>("sign-in/answers", answer, stop);

    /// <summary>Ends one's own sign-in.</summary>
    public Task SignOutAsync(CancellationToken stop) =>
        SendAsync<object?>(() => new HttpRequestMessage(HttpMethod.Delete, "session"), stop);

    /// <summary>All tokens, without their secrets.</summary>
    public Task<IReadOnlyList<TokenView>> TokensAsync(CancellationToken stop) =>
        GetAsync<IReadOnlyList<TokenView>>("tokens", stop);

    /// <summary>Begins a drill with a volume of a machine.</summary>
    public Task<DrillView> DrillAsync(string machine, DrillRequest request, CancellationToken stop) =>
        PostAsync<DrillView>($"machines/{Uri.EscapeDataString(machine)}/drills", request, stop);

    /// <summary>Makes a token's secret again; the old one and its console sessions end.</summary>
    public Task<TokenMade> ReplaceTokenAsync(TokenReplacement request, CancellationToken stop) =>
        PostAsync<TokenMade>("tokens/replacements", request, stop);

    /// <summary>Ends a token and its console sessions.</summary>
    public Task<TokenView> RevokeTokenAsync(string name, CancellationToken stop) =>
        SendAsync<TokenView>(
            () => new HttpRequestMessage(HttpMethod.Delete, "tokens/" + Uri.EscapeDataString(name)),
            stop
        );

    /// <summary>Has someone told of events from now on.</summary>
    public Task<ReceiverView> AddReceiverAsync(ReceiverRequest request, CancellationToken stop) =>
        PostAsync<ReceiverView>("receivers", request, stop);

    /// <summary>Who is notified of events.</summary>
    public Task<IReadOnlyList<ReceiverView>> ReceiversAsync(CancellationToken stop) =>
        GetAsync<IReadOnlyList<ReceiverView>>("receivers", stop);

    /// <summary>Someone is notified no longer; what waits for them is dropped.</summary>
    public Task RemoveReceiverAsync(string name, CancellationToken stop) =>
        SendAsync<object?>(
            () => new HttpRequestMessage(HttpMethod.Delete, "receivers/" + Uri.EscapeDataString(name)),
            stop
        );

    /// <summary>A report.</summary>
    /// <param name="of">runs, rooms or audits.</param>
    /// <param name="which">A run's or audit's number, or a room.</param>
    public Task<Report> ReportAsync(string of, string which, CancellationToken stop) =>
        GetAsync<Report>($"reports/{of}/{Uri.EscapeDataString(which)}", stop);

    /// <summary>A report as a self-contained page.</summary>
    /// <param name="of">runs, rooms or audits.</param>
    /// <param name="which">A run's or audit's number, or a room.</param>
    public Task<string> ReportPageAsync(string of, string which, CancellationToken stop) =>
        GetTextAsync($"reports/{of}/{Uri.EscapeDataString(which)}/page", stop);

    /// <summary>Who did what, the latest first.</summary>
    /// <param name="before">Only entries with smaller numbers; null for the latest.</param>
    /// <param name="about">Only entries that have this text in them.</param>
    public Task<IReadOnlyList<HistoryEntry>> HistoryAsync(long? before, string? about, CancellationToken stop) =>
        GetAsync<IReadOnlyList<HistoryEntry>>(
            FormattableString.Invariant($"history?before={before}&about={Uri.EscapeDataString(about ?? "")}"),
            stop
        );

    /// <summary>Checks a kind card.</summary>
    public Task<KindCard> CheckKindAsync(string card, CancellationToken stop) =>
        PostAsync<KindCard>("kinds/check", new KindText(card), stop);

    /// <summary>Has one machine look for what a kind card describes; the card is not kept.</summary>
    public Task<KindTrial> TryKindAsync(string card, string machine, CancellationToken stop) =>
        PostAsync<KindTrial>("kinds/try", new KindTrialRequest(card, machine), stop);

    /// <summary>Adds a kind card, or puts it in the place of the one of its name.</summary>
    /// <param name="on">Names or patterns of the machines that look for it; empty for all.</param>
    public Task<KindView> AddKindAsync(string card, IReadOnlyList<string> on, CancellationToken stop) =>
        PostAsync<KindView>("kinds", new KindText(card, on), stop);

    /// <summary>All kind cards.</summary>
    public Task<IReadOnlyList<KindView>> KindsAsync(CancellationToken stop) =>
        GetAsync<IReadOnlyList<KindView>>("kinds", stop);

    /// <summary>One kind card.</summary>
    public Task<KindView> KindAsync(string name, CancellationToken stop) =>
        GetAsync<KindView>("kinds/" + Uri.EscapeDataString(name), stop);

    /// <summary>Removes a kind card.</summary>
    public Task RemoveKindAsync(string name, CancellationToken stop) =>
        SendAsync<object?>(
            () => new HttpRequestMessage(HttpMethod.Delete, "kinds/" + Uri.EscapeDataString(name)),
            stop
        );

    /// <summary>Checks a brief against the fleet.</summary>
    public Task<BriefCheck> CheckBriefAsync(string brief, CancellationToken stop) =>
        PostAsync<BriefCheck>("briefs/check", new BriefText(brief), stop);

    /// <summary>Asks what to relocate so that system volumes have space.</summary>
    public Task<SuggestionView> SuggestAsync(SuggestRequest request, CancellationToken stop) =>
        PostAsync<SuggestionView>("briefs/suggest", request, stop);

    /// <summary>Makes a plan.</summary>
    public Task<PlanView> MakePlanAsync(string brief, CancellationToken stop) =>
        PostAsync<PlanView>("plans", new BriefText(brief), stop);

    /// <summary>Plans, the newest first: 200 of them at most.</summary>
    /// <param name="before">Only plans with smaller numbers; null for the newest.</param>
    public Task<IReadOnlyList<PlanSummary>> PlansAsync(long? before, CancellationToken stop) =>
        GetAsync<IReadOnlyList<PlanSummary>>(FormattableString.Invariant($"plans?before={before}"), stop);

    /// <summary>One plan.</summary>
    public Task<PlanView> PlanAsync(long number, CancellationToken stop) =>
        GetAsync<PlanView>(FormattableString.Invariant($"plans/{number}"), stop);

    /// <summary>What differs between two plans.</summary>
    public Task<PlanChanges> PlanDifferenceAsync(long from, long to, CancellationToken stop) =>
        GetAsync<PlanChanges>(FormattableString.Invariant($"plans/{from}/difference/{to}"), stop);

    /// <summary>Accepts a hazard.</summary>
    public Task<PlanView> ConsentAsync(long plan, ConsentRequest request, CancellationToken stop) =>
        PostAsync<PlanView>(FormattableString.Invariant($"plans/{plan}/consents"), request, stop);

    /// <summary>Starts a run.</summary>
    public Task<RunView> StartRunAsync(long plan, CancellationToken stop) =>
        PostAsync<RunView>("runs", new RunRequest(plan), stop);

    /// <summary>One run.</summary>
    public Task<RunView> RunAsync(long number, CancellationToken stop) =>
        GetAsync<RunView>(FormattableString.Invariant($"runs/{number}"), stop);

    /// <summary>Runs, the newest first: 200 of them at most.</summary>
    /// <param name="before">Only runs with smaller numbers; null for the newest.</param>
    public Task<IReadOnlyList<RunSummary>> RunsAsync(long? before, CancellationToken stop) =>
        GetAsync<IReadOnlyList<RunSummary>>(FormattableString.Invariant($"runs?before={before}"), stop);

    /// <summary>Approves, pauses, resumes or halts a run.</summary>
    /// <param name="verb">approve, pause, resume or halt.</param>
    public Task<RunView> SteerRunAsync(long number, string verb, CancellationToken stop) =>
        PostAsync<RunView>(FormattableString.Invariant($"runs/{number}/{verb}"), null, stop);

    /// <summary>Tries what failed in a run again, for one cause or for any.</summary>
    public Task<ManyDone> RetryFailedAsync(long run, string? cause, CancellationToken stop) =>
        PostAsync<ManyDone>(FormattableString.Invariant($"runs/{run}/retry"), new RetryRequest(cause), stop);

    /// <summary>Skips what failed in a run, for one cause or for any.</summary>
    public Task<ManyDone> SkipFailedAsync(long run, string? cause, string reason, CancellationToken stop) =>
        PostAsync<ManyDone>(FormattableString.Invariant($"runs/{run}/skip"), new SkipRequest(reason, cause), stop);

    /// <summary>Skips a relocation.</summary>
    public Task<RelocationView> SkipAsync(long number, string reason, CancellationToken stop) =>
        PostAsync<RelocationView>(
            FormattableString.Invariant($"relocations/{number}/skip"),
            new SkipRequest(reason),
            stop
        );

    /// <summary>Removes a machine with everything that is known of it but the history.</summary>
    public Task ForgetAsync(string machine, bool withOriginals, CancellationToken stop) =>
        PostAsync<object?>("machines/forget", new ForgetRequest(machine, withOriginals), stop);

    /// <summary>Holds machines, or (no reason) lets them go on.</summary>
    public Task HoldAsync(IReadOnlyList<string> machines, string? reason, CancellationToken stop) =>
        PostAsync<object?>("machines/hold", new HoldRequest(machines, reason), stop);

    /// <summary>Relocations, of one run or of one machine where given.</summary>
    public Task<IReadOnlyList<RelocationView>> RelocationsAsync(long? run, string? machine, CancellationToken stop) =>
        AllAsync<RelocationView>(
            FormattableString.Invariant($"relocations?run={run}&machine={Uri.EscapeDataString(machine ?? "")}"),
            r => r.Number,
            stop
        );

    /// <summary>One relocation.</summary>
    public Task<RelocationView> RelocationAsync(long number, CancellationToken stop) =>
        GetAsync<RelocationView>(FormattableString.Invariant($"relocations/{number}"), stop);

    /// <summary>Makes the original live again after its target was lost.</summary>
    /// <param name="missingFrom">The time from which work is missing, which the caller accepts; null asks for
    /// it.</param>
    public Task<RelocationView> FallBackAsync(long number, DateTimeOffset? missingFrom, CancellationToken stop) =>
        PostAsync<RelocationView>(
            FormattableString.Invariant($"relocations/{number}/fall-back"),
            new FallBackRequest(missingFrom),
            stop
        );

    /// <summary>Has an original discarded.</summary>
    /// <param name="id">Its identifier, such as "o371".</param>
    public Task<RelocationView> DiscardAsync(string id, DiscardRequest request, CancellationToken stop) =>
        PostAsync<RelocationView>($"originals/{Uri.EscapeDataString(id)}/discard", request, stop);

    /// <summary>Begins, returns, retries, gathers for or backs out a relocation.</summary>
    /// <param name="verb">begin, return, retry, gather or back-out.</param>
    public Task<RelocationView> ActAsync(long number, string verb, CancellationToken stop) =>
        PostAsync<RelocationView>(FormattableString.Invariant($"relocations/{number}/{verb}"), null, stop);

    /// <summary>Errands that are to be done, or (<paramref name="all"/>) all there were; the most urgent first.</summary>
    public async Task<IReadOnlyList<ErrandView>> ErrandsAsync(bool all, CancellationToken stop)
    {
        var errands = await AllAsync<ErrandView>(all ? "errands?all=true" : "errands?all=false", e => e.Number, stop);
        return [.. errands.OrderBy(e => e.Due).ThenBy(e => e.Number)];
    }

    /// <summary>One errand.</summary>
    public Task<ErrandView> ErrandAsync(long number, CancellationToken stop) =>
        GetAsync<ErrandView>(FormattableString.Invariant($"errands/{number}"), stop);

    /// <summary>Claims an errand.</summary>
    /// <param name="claimant">The person or group that will do it; null for the caller.</param>
    public Task<ErrandView> ClaimErrandAsync(long number, string? claimant, CancellationToken stop) =>
        PostAsync<ErrandView>(FormattableString.Invariant($"errands/{number}/claim"), new ClaimRequest(claimant), stop);

    /// <summary>Finishes or declines an errand.</summary>
    /// <param name="verb">finish or decline.</param>
    public Task<ErrandView> EndErrandAsync(long number, string verb, string? remark, CancellationToken stop) =>
        PostAsync<ErrandView>(FormattableString.Invariant($"errands/{number}/{verb}"), new ErrandRemark(remark), stop);

    /// <summary>Originals that are kept; those whose keeping time ends first at the top.</summary>
    public async Task<IReadOnlyList<OriginalView>> OriginalsAsync(CancellationToken stop)
    {
        var originals = await AllAsync<OriginalView>("originals?", Number, stop);
        return [.. originals.OrderBy(o => o.KeptUntil).ThenBy(Number)];

        static long Number(OriginalView original) => long.Parse(original.Id.AsSpan(1), CultureInfo.InvariantCulture);
    }

    /// <summary>Makes an audit.</summary>
    public Task<AuditView> MakeAuditAsync(CancellationToken stop) => PostAsync<AuditView>("audits", null, stop);

    /// <summary>One audit.</summary>
    public Task<AuditView> AuditAsync(long number, CancellationToken stop) =>
        GetAsync<AuditView>(FormattableString.Invariant($"audits/{number}"), stop);

    /// <summary>Audits, the newest first: 200 of them at most.</summary>
    /// <param name="before">Only audits with smaller numbers; null for the newest.</param>
    public Task<IReadOnlyList<AuditSummary>> AuditsAsync(long? before, CancellationToken stop) =>
        GetAsync<IReadOnlyList<AuditSummary>>(FormattableString.Invariant($"audits?before={before}"), stop);

    /// <summary>A whole list, part by part.</summary>
    /// <param name="path">With what is asked of the list, so that more can follow.</param>
    /// <param name="number">The number by which the list is sorted.</param>
    private async Task<IReadOnlyList<T>> AllAsync<T>(string path, Func<T, long> number, CancellationToken stop)
    {
        const int part = 1_000;
        List<T> all = [];
        IReadOnlyList<T> found;
        do
        {
            var after = all.Count == 0 ? "" : FormattableString.Invariant($"{number(all[^1])}");
            found = await GetAsync<IReadOnlyList<T>>($"{path}&after={after}&limit={part}", stop);
            all.AddRange(found);
        } while (found.Count == part);
        return all;
    }

    private Task<T> GetAsync<T>(string path, CancellationToken stop) =>
        SendAsync<T>(() => new HttpRequestMessage(HttpMethod.Get, path), stop);

    private Task<T> PostAsync<T>(string path, object? body, CancellationToken stop) =>
        SendAsync<T>(
            () =>
                new HttpRequestMessage(HttpMethod.Post, path)
                {
                    Content = body is null
                        ? null
                        : JsonContent.Create(body, ApiJson.Default.GetTypeInfo(body.GetType())!),
                },
            stop
        );

    private Task<string> GetTextAsync(string path, CancellationToken stop) =>
        SendAsync(
            () => new HttpRequestMessage(HttpMethod.Get, path),
            response => response.Content.ReadAsStringAsync(stop),
            stop
        );

    private Task<T> SendAsync<T>(Func<HttpRequestMessage> make, CancellationToken stop) =>
        SendAsync(
            make,
            async response =>
                response.StatusCode == System.Net.HttpStatusCode.NoContent
                    ? default!
                    : (T)(await response.Content.ReadFromJsonAsync(typeof(T), ApiJson.Default, stop))!,
            stop
        );

    private async Task<T> SendAsync<T>(
        Func<HttpRequestMessage> make,
        Func<HttpResponseMessage, Task<T>> read,
        CancellationToken stop
    )
    {
        try
        {
            using var request = make();
            using var response = await _http.SendAsync(request, stop);
            await ServiceException.ThrowIfErrorAsync(response, stop);
            return await read(response);
        }
        catch (Exception away) when (ServiceException.IsUnreachable(away, stop))
        {
            throw ServiceException.Unreachable(_http.BaseAddress, away);
        }
    }
}
