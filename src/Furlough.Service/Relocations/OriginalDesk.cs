using System.Globalization;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Errands;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Relocations;

/// <summary>
/// Decides which originals may be discarded (I13): not before their time and not while something speaks against it,
/// unless someone says why all the same.
/// </summary>
public sealed class OriginalDesk(Store store, Acting acting, TimeProvider time)
{
    private const int LongestReason = 1_000;

    /// <summary>How people name an original. A relocation's number never does.</summary>
    public static string IdOf(OriginalRow row) => string.Create(CultureInfo.InvariantCulture, $"o{row.Number}");

    /// <summary>
    /// What speaks against discarding an original, as far as the service knows. The machine looks again, and adds <see
    /// cref="DiscardTerms.Shrunk"/>.
    /// </summary>
    public static IReadOnlyList<DiscardBlocker> Blockers(
        OriginalFacts seen,
        RelocationRow relocation,
        IEnumerable<ErrandRow> errands
    )
    {
        List<DiscardBlocker> found = [];
        foreach (var errand in errands.Where(e => e.Cause == ErrandCause.Afterwards))
        {
            if (errand.State == ErrandState.Declined)
                found.Add(
                    new DiscardBlocker(
                        "errand-declined",
                        $"Errand {errand.Number} was declined by "
                            + $"{errand.EndedBy}{(errand.Remark is { Length: > 0 } remark ? $": {remark}" : "")}."
                    )
                );
            else if (errand.Kind == ErrandKind.ConfirmByEye && errand.State.IsToDo())
                found.Add(
                    new DiscardBlocker(
                        "errand-open",
                        $"Errand {errand.Number} is still open: someone is to check that nothing is missing."
                    )
                );
        }
        if (seen.Recreated is { Files: > 0 } again)
            found.Add(
                new DiscardBlocker(
                    "written-at-former-place",
                    $"{Words.Count(again.Files, "file")} ({Words.Size(again.DataBytes)}) stand at the former place again."
                )
            );
        if (
            relocation.Failure is { } failed
            && Column.Read(failed, ModelJson.Default.Failure) is { Code: DiscardTerms.Shrunk } shrunk
        )
            found.Add(new DiscardBlocker(DiscardTerms.Shrunk, shrunk.Text));
        if (seen.WrittenTo)
            found.Add(
                new DiscardBlocker("original-written-to", "Someone wrote to the original after it was set aside.")
            );
        return found;
    }

    /// <summary>Has one original discarded.</summary>
    /// <exception cref="RefusedException">It may not go, and why.</exception>
    public async Task<RelocationView> DiscardAsync(
        string id,
        DiscardRequest request,
        string who,
        CancellationToken stop
    )
    {
        var (row, blockers) = await store.ReadAsync(
            async db =>
            {
                var found = await FindAsync(db, id, stop);
                var errands = await db.Errands.Where(e => e.Relocation == found.Relocation).ToListAsync(stop);
                var survey = await Surveys.OfAsync(db, found.Machine, stop);
                var seen = survey?.Originals.FirstOrDefault(o => o.Docket == found.Docket)
                    ?? Column.Read(found.Body, ModelJson.Default.OriginalFacts);
                return (found, Blockers(seen, (await db.Relocations.FindAsync([found.Relocation], stop))!, errands));
            },
            stop
        );
        IReadOnlyList<string> acknowledged = [.. (request.Acknowledge ?? []).Distinct(StringComparer.Ordinal)];
        var early = time.GetUtcNow() < row.KeptUntil;
        if (early && !request.BeforeItsTime)
            throw RefusedException.Conflict(
                "original-kept",
                $"The original {id} is kept until {row.KeptUntil:yyyy-MM-dd HH:mm} UTC.",
                $"Wait until then, or decide otherwise and say why: `furlough original discard {id} --before-its-time --reason \"...\"`."
            );
        if (blockers.FirstOrDefault(b => !acknowledged.Contains(b.Code)) is { } blocker)
            throw RefusedException.Conflict(
                blocker.Code,
                $"The original {id} stays: {blocker.Text}",
                "Settle that first. If the original may go all the same: "
                    + $"`furlough original discard {id} --acknowledge {blocker.Code} --reason \"...\"`."
            );
        var decided = (early && request.BeforeItsTime) || acknowledged.Count > 0;
        var reason = decided ? RequireReason(id, request.Reason) : null;
        var what = string.Join(
            ", ",
            ((string?[])[early && request.BeforeItsTime ? "before its time" : null, .. acknowledged]).OfType<string>()
        );
        return await acting.DiscardAsync(
            row.Relocation,
            row,
            new DiscardTerms(row.KeptUntil, early && request.BeforeItsTime ? reason : null, acknowledged),
            decided ? $"{id}, {what}: {reason}" : null,
            who,
            stop
        );
    }

    private static string RequireReason(string id, string? given)
    {
        var reason = given?.Trim();
        return string.IsNullOrEmpty(reason) || reason.Length > LongestReason || reason.Any(char.IsControl)
            ? throw new RefusedException(
                RefusalKind.Malformed,
                "reason-missing",
                $"A decision to discard {id} needs a reason of at most {LongestReason} printable characters.",
                "Add `--reason \"...\"`."
            )
            : reason;
    }

    private static async Task<OriginalRow> FindAsync(FurloughDb db, string id, CancellationToken stop)
    {
        if (
            id is not ['o', .. var digits]
            || !long.TryParse(digits, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
        )
            throw new RefusedException(
                RefusalKind.Malformed,
                "original-malformed",
                $"`{(id.Length > 30 ? id[..30] + "…" : id)}` is not the identifier of an original. Originals have "
                    + "identifiers of their own, such as o371.",
                "See `furlough original list`."
            );
        return await db.Originals.FirstOrDefaultAsync(o => o.Number == number, stop)
            ?? throw RefusedException.Missing(
                $"original {id}",
                "It may have been discarded already: see `furlough original list`."
            );
    }
}
