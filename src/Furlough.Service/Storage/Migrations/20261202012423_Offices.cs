using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class Offices : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<long>(
                name: "CheckedAt",
                table: "Tokens",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Refresh",
                table: "Tokens",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Subject",
                table: "Tokens",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "AwaitedBulletin",
                table: "Machines",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<long>(
                name: "UnknownAfter",
                table: "Machines",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Rules",
                table: "Invites",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Correlation",
                table: "History",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Correlation",
                table: "Dockets",
                type: "TEXT",
                nullable: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "CheckedAt",
                table: "Tokens");

            migrationBuilder.DropColumn(
                name: "Refresh",
                table: "Tokens");

            migrationBuilder.DropColumn(
                name: "Subject",
                table: "Tokens");

            migrationBuilder.DropColumn(
                name: "AwaitedBulletin",
                table: "Machines");

            migrationBuilder.DropColumn(
                name: "UnknownAfter",
                table: "Machines");

            migrationBuilder.DropColumn(
                name: "Rules",
                table: "Invites");

            migrationBuilder.DropColumn(
                name: "Correlation",
                table: "History");

            migrationBuilder.DropColumn(
                name: "Correlation",
                table: "Dockets");
        }
    }
}
