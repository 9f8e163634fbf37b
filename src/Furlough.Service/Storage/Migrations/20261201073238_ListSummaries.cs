using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class ListSummaries : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<bool>(
                name: "Blocked",
                table: "Relocations",
                type: "INTEGER",
                nullable: false,
                defaultValue: false);

            migrationBuilder.AddColumn<string>(
                name: "Asks",
                table: "Plans",
                type: "TEXT",
                nullable: false,
                defaultValue: "");

            migrationBuilder.AddColumn<int>(
                name: "Blocked",
                table: "Plans",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0);

            migrationBuilder.AddColumn<long>(
                name: "DataBytes",
                table: "Plans",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<int>(
                name: "Machines",
                table: "Plans",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0);

            migrationBuilder.AddColumn<int>(
                name: "Relocations",
                table: "Plans",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0);

            migrationBuilder.AddColumn<string>(
                name: "Title",
                table: "Plans",
                type: "TEXT",
                nullable: false,
                defaultValue: "");

            migrationBuilder.AddColumn<int>(
                name: "BlockingCount",
                table: "Audits",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0);

            migrationBuilder.AddColumn<int>(
                name: "FindingCount",
                table: "Audits",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0);

            // What lists say of plans, relocations and audits that are stored already.
            migrationBuilder.Sql(
                """
                UPDATE Relocations SET Blocked = json_array_length(Planned, '$.blocked') > 0;
                UPDATE Plans SET
                    Title = Body->>'title',
                    Machines = json_array_length(Body, '$.machines'),
                    Relocations = (SELECT count(*) FROM json_each(Body, '$.relocations') WHERE json_array_length(value, '$.blocked') = 0),
                    DataBytes = (SELECT coalesce(sum(value->>'dataBytes'), 0) FROM json_each(Body, '$.relocations') WHERE json_array_length(value, '$.blocked') = 0),
                    Blocked = (SELECT count(*) FROM json_each(Body, '$.relocations') WHERE json_array_length(value, '$.blocked') > 0),
                    Asks = (SELECT json_group_array(DISTINCT value->>'code') FROM json_each(Body, '$.hazards') WHERE value->>'severity' = 'consent');
                UPDATE Audits SET
                    FindingCount = json_array_length(Findings),
                    BlockingCount = (SELECT count(*) FROM json_each(Findings) WHERE value->>'severity' = 'blocking');
                """);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "Blocked",
                table: "Relocations");

            migrationBuilder.DropColumn(
                name: "Asks",
                table: "Plans");

            migrationBuilder.DropColumn(
                name: "Blocked",
                table: "Plans");

            migrationBuilder.DropColumn(
                name: "DataBytes",
                table: "Plans");

            migrationBuilder.DropColumn(
                name: "Machines",
                table: "Plans");

            migrationBuilder.DropColumn(
                name: "Relocations",
                table: "Plans");

            migrationBuilder.DropColumn(
                name: "Title",
                table: "Plans");

            migrationBuilder.DropColumn(
                name: "BlockingCount",
                table: "Audits");

            migrationBuilder.DropColumn(
                name: "FindingCount",
                table: "Audits");
        }
    }
}
