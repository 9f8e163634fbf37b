using Furlough.Protocol.Api;
using Furlough.Service.Notifications;
using Furlough.Service.Storage;
using Furlough.Service.Tls;
using Microsoft.EntityFrameworkCore;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>People are reminded of a certificate that ends.</summary>
public sealed class CertificateWatchTests
{
    [Fact]
    public async Task They_are_reminded_30_7_and_1_days_before_once_each_and_not_of_a_new_one()
    {
        await using var office = await Office.OpenAsync(listen: new Uri("https://127.0.0.1:0"));
        await office
            .Part<Receivers>()
            .AddAsync(
                new ReceiverRequest("board", null, "https://board.fen.example/", [NotificationEvent.CertificateEnding]),
                "mara.ostby",
                Office.Stop
            );
        var end = (await office.Part<CertificateDesk>().RenewAsync("mara.ostby", Office.Stop)).NotAfter;
        foreach (var (days, reminders) in ((double, int)[])[(31, 0), (29.9, 1), (20, 1), (6.9, 2), (0.9, 3), (-1, 3)])
        {
            office.Clock.SetUtcNow(end - TimeSpan.FromDays(days));
            await office.Part<CertificateWatch>().TurnAsync(Office.Stop);
            await office.Part<CertificateWatch>().TurnAsync(Office.Stop);
            (await office.HistoryAsync("certificate"))
                .Count(h => h.Event == HistoryEvent.CertificateEnding)
                .ShouldBe(reminders, $"{days} days before");
        }
        await office.Part<NotificationDesk>().TurnAsync(Office.Stop);
        var told = await office.Store.ReadAsync(db => db.Notifications.ToListAsync(Office.Stop), Office.Stop);
        told.Count.ShouldBe(3);
        told[0].Text.ShouldContain($"it ends on {end:yyyy-MM-dd}");
        told[0].Text.ShouldContain("furlough certificate use CERT KEY");

        await office.Part<CertificateDesk>().RenewAsync("mara.ostby", Office.Stop);
        office.Part<CertificateDesk>().Ending.ShouldBeNull();
    }
}
