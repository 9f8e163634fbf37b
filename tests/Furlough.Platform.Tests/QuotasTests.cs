using Furlough.Model;
using Furlough.Platform.Linux;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// What the kernel says of a user's quota, as its manual describes it. The kernel here enforces none, so that no real
/// answer can be asked for.
/// </summary>
public sealed class QuotasTests
{
    [Theory]
    [InlineData(0, 0, null)]
    [InlineData(2_000, 0, 2_048_000)]
    [InlineData(2_000, 1_000, 1_024_000)]
    [InlineData(0, 1_000, 1_024_000)]
    public void The_lower_limit_that_is_set_counts_in_blocks_of_1024(long hard, long soft, int? limit)
    {
        var quota = Quotas.Quota(
            "v1",
            new Quotas.DiskQuota
            {
                HardBlocks = (ulong)hard,
                SoftBlocks = (ulong)soft,
                UsedBytes = 77,
            }
        );
        quota.ShouldBe(limit is { } bytes ? new AccountQuota("v1", bytes, 77) : null);
        System.Runtime.InteropServices.Marshal.SizeOf<Quotas.DiskQuota>().ShouldBe(72);
        Quotas
            .Quota("v1", new Quotas.DiskQuota { HardBlocks = ulong.MaxValue, UsedBytes = ulong.MaxValue })!
            .LimitBytes.ShouldBeGreaterThan(0);
    }

    [Fact]
    public void Where_nothing_is_enforced_there_is_no_quota() =>
        MountTable.Read().Select(m => Quotas.Of(m, "v1", 1000)).OfType<AccountQuota>().ShouldBeEmpty();
}
